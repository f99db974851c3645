from django.urls import path

from galena.bench import views
from galena.bench.boards import views as board_views
from galena.bench.calibration import views as calibration_views
from galena.bench.live import microphone_views
from galena.bench.places import views as place_views
from galena.bench.rigs import views as rig_views

_CHANNEL = "bench/channels/<key:channel_id>"
_SHEET = f"{_CHANNEL}/calibration"

urlpatterns = [
    path("bench", views.page, name="bench"),
    path("bench/strips", views.strips_now, name="strips"),
    path("bench/look-again", views.look_again, name="look-again"),
    path("bench/connect", views.connect, name="connect"),
    path("bench/connect-typed", place_views.connect_typed, name="connect-typed"),
    path("bench/forget-typed", place_views.forget_typed, name="forget-typed"),
    path(
        "bench/instruments/<key:instrument_id>/name", views.name_instrument, name="name-instrument"
    ),
    path("bench/instruments/<key:instrument_id>/columns", board_views.columns, name="columns"),
    path("bench/match", views.match, name="match"),
    path("bench/zero-all", views.zero_all, name="zero-all"),
    path("bench/undo-zeros", views.undo_zeros, name="undo-zeros"),
    path(f"{_CHANNEL}/zero", views.zero, name="zero"),
    path(f"{_CHANNEL}/undo-zero", views.undo_zero, name="undo-zero"),
    path(f"{_CHANNEL}/reverse", views.reverse, name="reverse"),
    path(f"{_CHANNEL}/describe", views.describe_channel, name="describe-channel"),
    path(_SHEET, calibration_views.sheet, name="calibration"),
    path(f"{_SHEET}/take", calibration_views.take, name="take"),
    path(f"{_SHEET}/taking", calibration_views.taking, name="taking"),
    path(f"{_SHEET}/takes/<key:take_id>/remove", calibration_views.remove_take, name="remove-take"),
    path(f"{_SHEET}/choose", calibration_views.choose, name="choose-curve"),
    path(f"{_SHEET}/keep", calibration_views.keep, name="keep-calibration"),
    path(f"{_SHEET}/use", calibration_views.use, name="use-calibration"),
    path(f"{_SHEET}/import", calibration_views.take_in, name="import-calibration"),
    path(
        f"{_SHEET}/<key:calibration_id>.json", calibration_views.export, name="export-calibration"
    ),
    path("bench/rigs", rig_views.drawer, name="rigs"),
    path("bench/rigs/<slug:key>/plug", rig_views.plug, name="plug"),
    path("bench/rigs/<slug:key>/handle", rig_views.set_handle, name="set-handle"),
    path("bench/rigs/<slug:key>/pace", rig_views.set_pace, name="set-pace"),
    path("bench/rigs/<slug:key>/drawing", rig_views.drawing, name="rig-drawing"),
    path("bench/microphone", microphone_views.hear, name="hear"),
    path("events", views.events, name="events"),
]
