from django.apps import AppConfig


class StraightenConfig(AppConfig):
    name = "galena.straighten"

    def ready(self) -> None:
        from galena.desk.findings import questions
        from galena.desk.ledger.links import Link, register
        from galena.straighten.parts import register_parts
        from galena.straighten.question import LAW

        questions.register(LAW)
        register(Link("straighten…", "straighten"))
        register_parts()
