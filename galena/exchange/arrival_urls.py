from django.urls import path

from galena.exchange import arrival_views

urlpatterns = [
    path("take-in", arrival_views.bring, name="bring"),
    path("arrivals/new", arrival_views.begin, name="new-arrival"),
    path("arrivals/<key:arrival_id>/piece", arrival_views.piece, name="arrival-piece"),
    path("arrivals/<key:arrival_id>", arrival_views.arrival, name="arrival"),
    path("arrivals/<key:arrival_id>/table", arrival_views.take_table, name="take-table"),
    path("arrivals/<key:arrival_id>/experiment", arrival_views.take_experiment,
         name="take-experiment"),
    path("arrivals/<key:arrival_id>/taking", arrival_views.taking, name="taking-in"),
    path("arrivals/<key:arrival_id>/leave", arrival_views.leave, name="leave-arrival"),
]  # fmt: skip
