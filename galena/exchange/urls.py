from django.urls import path

from galena.exchange import views

urlpatterns = [
    path("runs/<key:number>/readings.<slug:key>", views.file_of_run, name="run-file"),
    path("readings.<slug:key>", views.file_of_all, name="runs-file"),
    path("duplicate", views.duplicate, name="duplicate"),
]
