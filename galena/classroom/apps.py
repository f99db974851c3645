from django.apps import AppConfig


class ClassroomConfig(AppConfig):
    name = "galena.classroom"
    label = "classroom"
