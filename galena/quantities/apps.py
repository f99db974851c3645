from django.apps import AppConfig


class QuantitiesConfig(AppConfig):
    name = "galena.quantities"
