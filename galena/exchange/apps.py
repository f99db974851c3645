from django.apps import AppConfig


class ExchangeConfig(AppConfig):
    name = "galena.exchange"
    label = "exchange"

    def ready(self) -> None:
        from galena.exchange.own_parts import register_parts
        from galena.experiments.sources import Source, register

        register_parts()
        register(Source("Take in", "bring-to"))
