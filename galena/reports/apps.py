from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "galena.reports"
    label = "reports"
