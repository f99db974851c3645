from django.apps import AppConfig


class RecordingConfig(AppConfig):
    name = "galena.recording"
    label = "recording"
