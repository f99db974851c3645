from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "galena.reports"
    label = "reports"

    def ready(self) -> None:
        from galena.reports.parts import register_parts

        register_parts()
