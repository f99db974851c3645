from django.urls import path

from galena.recording import page_views
from galena.recording.plan import condition_views, views
from galena.recording.runs import derived_views, replay_views
from galena.recording.runs import views as run_views
from galena.recording.stepwise import views as step_views

RUN = "runs/<key:number>/"
urlpatterns = [
    path("record", page_views.page, name="record"),
    path("record/panel", views.panel, name="panel"),
    path("record/start", views.start, name="start"),
    path("record/press", views.press, name="press"),
    path("record/stop", views.stop, name="stop"),
    path("record/size", views.size, name="plan-size"),
    path("record/status", views.status, name="record-status"),
    path("record/steps", step_views.steps, name="steps"),
    path("record/steps/take", step_views.take, name="take-step"),
    path("record/conditions/add", condition_views.add, name="add-condition"),
    path("record/conditions/<key:key>/drop", condition_views.drop, name="drop-condition"),
    path("record/settings/add", condition_views.add_entered, name="add-entered"),
    path("record/settings/<key:key>/drop", condition_views.drop_entered, name="drop-entered"),
    path("record/runs", run_views.run_list, name="run-list"),
    path(RUN + "facts", run_views.facts, name="run-facts"),
    path(RUN + "describe", run_views.describe, name="describe-run"),
    path(RUN + "unuse", run_views.unuse, name="unuse-run"),
    path(RUN + "move", run_views.move, name="move-run"),
    path(RUN + "remove", run_views.remove, name="remove-run"),
    path(RUN + "show-in-list", run_views.show, name="show-in-list"),
    path(RUN + "go-on", step_views.go_on, name="go-on"),
    path(RUN + "steps/<key:row>/again", step_views.again, name="again"),
    path(RUN + "steps/<key:row>/correct/<key:quantity_id>", step_views.correct, name="correct"),
    path(RUN + "series/<key:series_id>/recalibrate", run_views.recalibrate, name="recalibrate"),
    path(RUN + "missed", replay_views.missed, name="missed"),
    path(RUN + "derived", derived_views.derived, name="derived-of-run"),
    path(RUN + "replay", replay_views.replay, name="replay"),
]
