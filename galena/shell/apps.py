from django.apps import AppConfig


class ShellConfig(AppConfig):
    name = "galena.shell"
    label = "shell"
