from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "galena.bench"
    label = "bench"

    def ready(self) -> None:
        from galena.bench import checks  # noqa: F401 - registers itself
