from django.urls import include, path, register_converter

from galena.shell.requested import KeyInPath

register_converter(KeyInPath, "key")

urlpatterns = [
    path("", include("galena.classroom.urls")),
    path("", include("galena.experiments.urls")),
    path("", include("galena.exchange.arrival_urls")),
    path("", include("galena.lessons.urls")),
    path("", include("galena.keeping.urls")),
    path("experiments/<key:experiment_id>/", include("galena.bench.urls")),
    path("experiments/<key:experiment_id>/", include("galena.recording.urls")),
    path("experiments/<key:experiment_id>/", include("galena.desk.urls")),
    path("experiments/<key:experiment_id>/", include("galena.quantities.urls")),
    path("experiments/<key:experiment_id>/", include("galena.straighten.urls")),
    path("experiments/<key:experiment_id>/", include("galena.clips.urls")),
    path("experiments/<key:experiment_id>/", include("galena.reports.urls")),
    path("experiments/<key:experiment_id>/", include("galena.exchange.urls")),
]
handler400 = "galena.shell.views.bad_request"
handler403 = "galena.shell.views.forbidden"
handler404 = "galena.shell.views.not_found"
handler500 = "galena.shell.views.server_error"
