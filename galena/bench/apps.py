from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "galena.bench"
    label = "bench"
