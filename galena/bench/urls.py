from django.urls import path

from galena.bench import views

urlpatterns = [
    path("bench", views.page, name="bench"),
    path("bench/strips", views.strips, name="strips"),
    path("bench/look-again", views.look_again, name="look-again"),
    path("bench/connect", views.connect, name="connect"),
    path("bench/channels/<int:channel_id>/zero", views.zero, name="zero"),
    path("bench/channels/<int:channel_id>/undo-zero", views.undo_zero, name="undo-zero"),
    path("bench/rig", views.rig, name="rig"),
    path("bench/rig/<int:feed>", views.set_handle, name="set-handle"),
    path("bench/rig/<int:feed>/drawing", views.rig_drawing, name="rig-drawing"),
    path("events", views.events, name="events"),
]
