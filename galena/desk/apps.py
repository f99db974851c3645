from django.apps import AppConfig


class DeskConfig(AppConfig):
    name = "galena.desk"
    label = "desk"
