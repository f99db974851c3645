from django.urls import path

from galena.recording import views

urlpatterns = [
    path("record", views.page, name="record"),
    path("record/panel", views.panel, name="panel"),
    path("record/runs", views.run_list, name="run-list"),
    path("record/start", views.start, name="start"),
    path("record/stop", views.stop, name="stop"),
    path("record/size", views.size, name="plan-size"),
    path("record/status", views.status, name="record-status"),
    path(
        "runs/<int:number>/series/<int:series_id>/recalibrate",
        views.recalibrate,
        name="recalibrate",
    ),
    path("runs/<int:number>/missed", views.missed, name="missed"),
]
