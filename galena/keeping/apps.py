from django.apps import AppConfig


class KeepingConfig(AppConfig):
    name = "galena.keeping"
    label = "keeping"
