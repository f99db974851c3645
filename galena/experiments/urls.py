from django.urls import path

from galena.experiments import views

urlpatterns = [
    path("", views.listing, name="experiments"),
    path("experiments/new", views.new, name="new-experiment"),
    path("experiments/<int:experiment_id>/runs", views.rail, name="rail"),
    path("experiments/<int:experiment_id>/runs/<int:number>/show", views.show_run, name="show-run"),
    path("experiments/<int:experiment_id>/archive", views.archive, name="archive"),
    path(
        "experiments/<int:experiment_id>/runs/<int:number>/restore",
        views.restore_run,
        name="restore-run",
    ),
]
