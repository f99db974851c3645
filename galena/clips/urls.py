from django.urls import path

from galena.clips import filming_views, mark_views, sending_views, views

urlpatterns = [
    path("clips", views.listing, name="clips"),
    path("clips/new", sending_views.begin, name="new-clip"),
    path("clips/clock", filming_views.clock, name="clip-clock"),
    path("clips/film", filming_views.begin, name="new-film"),
    path("clips/<key:clip_id>/filmed", filming_views.filmed, name="clip-filmed"),
    path("clips/<key:clip_id>", views.page, name="clip"),
    path("clips/<key:clip_id>/piece", sending_views.piece, name="clip-piece"),
    path("clips/<key:clip_id>/state", sending_views.state, name="clip-state"),
    path("clips/<key:clip_id>/drop", sending_views.drop, name="drop-clip"),
    path("clips/<key:clip_id>/film.mp4", views.film, name="clip-film"),
    path("clips/<key:clip_id>/poster.jpg", views.poster, name="clip-poster"),
    path("clips/<key:clip_id>/scale", mark_views.scale, name="clip-scale"),
    path("clips/<key:clip_id>/axes", mark_views.axes, name="clip-axes"),
    path("clips/<key:clip_id>/pictures", mark_views.pictures, name="clip-pictures"),
    path("clips/<key:clip_id>/steady", mark_views.steady, name="clip-steady"),
    path("clips/<key:clip_id>/objects", mark_views.objects, name="clip-objects"),
    path("clips/<key:clip_id>/objects/<key:object_id>/marks", mark_views.marks, name="clip-marks"),
    path("clips/<key:clip_id>/objects/<key:object_id>/follow", mark_views.follow,
         name="clip-follow"),
    path("clips/<key:clip_id>/undo", mark_views.undo, name="undo-mark"),
    path("clips/<key:clip_id>/redo", mark_views.redo, name="redo-mark"),
    path("clips/<key:clip_id>/objects/<key:object_id>/speed", mark_views.speed, name="clip-speed"),
    path("clips/<key:clip_id>/tie", mark_views.tie, name="tie-clip"),
    path("clips/<key:clip_id>/trace/<key:number>", views.trace, name="clip-trace"),
    path("clips/<key:clip_id>/run", mark_views.use, name="use-clip"),
]  # fmt: skip
