from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "galena.reports"
    label = "reports"

    def ready(self) -> None:
        from galena.exchange.parts import Part, register
        from galena.reports.models import Report

        register(Part(Report, "experiment", True))
