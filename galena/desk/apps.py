from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "galena.desk"
    label = "desk"

    def ready(self) -> None:
        from galena.desk import parts
        from galena.desk.harvests.kind import Harvested
        from galena.experiments.runs import register

        register(Harvested())
        parts.register_parts()
