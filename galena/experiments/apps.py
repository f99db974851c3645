from django.apps import AppConfig


class ExperimentsConfig(AppConfig):
    name = "galena.experiments"
    label = "experiments"

    def ready(self) -> None:
        from galena.experiments.runs import register
        from galena.experiments.runs.stepwise import Stepwise
        from galena.experiments.runs.taken_in import TAKEN_IN, TakenRows
        from galena.experiments.runs.timed import ARMED, STEADY
        from galena.experiments.runs.typed import Typed

        register(STEADY, ARMED, Stepwise(), Typed(), TAKEN_IN, TakenRows())
