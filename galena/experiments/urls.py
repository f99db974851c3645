from django.urls import path

from galena.experiments import views

urlpatterns = [
    path("", views.listing, name="experiments"),
    path("experiments/new", views.new, name="new-experiment"),
    path("experiments/<key:experiment_id>/runs", views.rail, name="rail"),
    path("experiments/<key:experiment_id>/runs/choose", views.choose_runs, name="choose-runs"),
    path("experiments/<key:experiment_id>/runs/<key:number>/show", views.show_run, name="show-run"),
    path("experiments/<key:experiment_id>/archive", views.archive, name="archive"),
    path(
        "experiments/<key:experiment_id>/runs/<key:number>/restore",
        views.restore_run,
        name="restore-run",
    ),
]
