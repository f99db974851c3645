from django.urls import path

from galena.exchange import arrival_views, views

urlpatterns = [
    path("runs/<key:number>/readings.<slug:key>", views.file_of_run, name="run-file"),
    path("readings.<slug:key>", views.file_of_all, name="runs-file"),
    path("take-in", arrival_views.bring_to, name="bring-to"),
    path("experiment.zip", views.file_of_experiment, name="experiment-file"),
    path("duplicate", views.duplicate, name="duplicate"),
]
