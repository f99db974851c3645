from django.apps import AppConfig


class ExperimentsConfig(AppConfig):
    name = "galena.experiments"
    label = "experiments"
