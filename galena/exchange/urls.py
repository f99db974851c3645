from django.urls import path

from galena.exchange import views

urlpatterns = [
    path("runs/<key:number>/readings.csv", views.csv_of_run, name="csv"),
    path("duplicate", views.duplicate, name="duplicate"),
]
