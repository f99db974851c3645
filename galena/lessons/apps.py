from django.apps import AppConfig


class LessonsConfig(AppConfig):
    name = "galena.lessons"
    label = "lessons"

    def ready(self) -> None:
        from galena.lessons.registered import register_all

        register_all()
