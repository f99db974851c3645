from django.apps import AppConfig


class DemoConfig(AppConfig):
    name = "galena.demo"
    label = "demo"
