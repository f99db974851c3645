from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    name = "galena.exchange"
    label = "exchange"
