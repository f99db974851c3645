from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "galena.desk"
    label = "desk"

    def ready(self) -> None:
        from galena.desk.harvests import harvesting
        from galena.experiments.runs import typed

        typed.harvested_by(harvesting.tables)
