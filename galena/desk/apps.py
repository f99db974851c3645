from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "galena.desk"
    label = "desk"

    def ready(self) -> None:
        from galena.desk import harvests
        from galena.experiments import typed

        typed.harvested_by(harvests.tables)
