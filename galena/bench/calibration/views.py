"""The side sheet on which a channel is calibrated."""

import re
import threading
from dataclasses import dataclass

import numpy as np
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from galena.bench.calibration import flows as calibration_flows
from galena.bench.calibration.graph import draw
from galena.bench.forms import StandardForm
from galena.bench.live.bench import BENCH
from galena.bench.live.feed import Averaging
from galena.bench.models import Channel
from galena.core import calibration as curves
from galena.core import numbers
from galena.core.calibrating import residuals
from galena.core.errors import CalibrationError, GalenaError
from galena.core.formats.calibration_file import LONGEST, dumps
from galena.experiments.access import experiment_for
from galena.instruments.errors import LinkLost
from galena.shell import fields, requested

MODELS = (("offset", "offset"), ("line", "line"), ("quadratic", "parabola"), ("cubic", "cubic"))


@dataclass
class TakeInProgress:
    """A take that a person has begun, and the standard that it is of."""

    averaging: Averaging
    known: str
    u_known: float


_takes: dict[tuple[int, int], TakeInProgress] = {}
_lock = threading.Lock()


def sheet(request, experiment_id: int, channel_id: int):
    """Show the sheet of a channel."""
    return _sheet(request, experiment_for(request, experiment_id), _channel(channel_id))


@require_POST
def take(request, experiment_id: int, channel_id: int):
    """Begin to average the raw readings of a standard."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    making = calibration_flows.in_the_making(channel, request.user)
    posted = request.POST
    try:
        _describe(making, posted)
        standard = fields.read(StandardForm, posted)
        seconds = calibration_flows.parse_seconds(posted.get("seconds", ""))
        place = BENCH.feed_of(channel.pk)
        if place is None:
            raise LinkLost(f"{channel.name} gives no readings now. Is its cable in?")
        averaging = place[0].average(place[1], seconds)
    except GalenaError as error:
        return _sheet(request, experiment, channel, str(error), typed=posted)
    with _lock:
        _takes[channel.pk, request.user.pk] = TakeInProgress(
            averaging, posted["known"].strip(), abs(standard["u_known"])
        )
    return _sheet(request, experiment, channel, typed=posted)


def taking(request, experiment_id: int, channel_id: int):
    """Say how far a take is; once it is done, keep it and show the sheet anew."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    key = (channel.pk, request.user.pk)
    current = _takes.get(key)
    if current is not None and current.averaging.is_going_on:
        context = {"experiment": experiment, "channel": channel, "taking": current}
        return render(request, "bench/_taking.html", context)
    with _lock:
        current = _takes.pop(key, None)
    trouble = ""
    if current is not None:
        try:
            calibration_flows.whole(current.averaging, channel)
            making = calibration_flows.in_the_making(channel, request.user)
            raw, seconds = current.averaging.readings, current.averaging.seconds
            calibration_flows.add_take(making, current.known, current.u_known, raw, seconds)
        except GalenaError as error:
            trouble = str(error)
    response = _sheet(request, experiment, channel, trouble)
    response["HX-Retarget"], response["HX-Reswap"] = "#side-sheet", "innerHTML"
    return response


@require_POST
def remove_take(request, experiment_id: int, channel_id: int, take_id: int):
    """Take a standard away again."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    making = calibration_flows.in_the_making(channel, request.user)
    making.takes.filter(pk=take_id).delete()
    return _sheet(request, experiment, channel)


@require_POST
def choose(request, experiment_id: int, channel_id: int):
    """Choose the curve, and what the calibration gives."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    making = calibration_flows.in_the_making(channel, request.user)
    try:
        _describe(making, request.POST)
    except GalenaError as error:
        return _sheet(request, experiment, channel, str(error), typed=request.POST)
    return _sheet(request, experiment, channel, typed=request.POST)


@require_POST
def keep(request, experiment_id: int, channel_id: int):
    """Put the new calibration in force."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    making = calibration_flows.in_the_making(channel, request.user)
    try:
        BENCH.refuse_others(request.user, BENCH.feeds_of_channels([channel.pk]))
        _describe(making, request.POST)
        calibration_flows.keep(making)
    except GalenaError as error:
        return _sheet(request, experiment, channel, str(error), typed=request.POST)
    return _changed(request, experiment, channel)


@require_POST
def use(request, experiment_id: int, channel_id: int):
    """Go back to an earlier calibration, or to none."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    wanted = request.POST.get("calibration", "")
    chosen = None
    if wanted:
        kept = channel.calibrations.kept()
        chosen = get_object_or_404(kept, pk=requested.key(wanted))
    try:
        BENCH.refuse_others(request.user, BENCH.feeds_of_channels([channel.pk]))
    except GalenaError as error:
        return _sheet(request, experiment, channel, str(error))
    calibration_flows.put_in_force(channel, chosen)
    return _changed(request, experiment, channel)


def export(request, experiment_id: int, channel_id: int, calibration_id: int):
    """Give a calibration as a file."""
    experiment_for(request, experiment_id)
    channel = _channel(channel_id)
    chosen = get_object_or_404(channel.calibrations.kept(), pk=calibration_id)
    response = HttpResponse(dumps(chosen.record), content_type="application/json")
    plain = re.sub(r"[^\w-]+", "-", f"{channel.instrument} {chosen.symbol}").strip("-")
    name = f"calibration-{plain}-{chosen.made_at:%Y-%m-%d}.json"
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@require_POST
def take_in(request, experiment_id: int, channel_id: int):
    """Put the calibration of a file in force."""
    experiment, channel = experiment_for(request, experiment_id), _channel(channel_id)
    file = request.FILES.get("file")
    try:
        if file is None:
            raise CalibrationError("No file was chosen. Choose a calibration that was exported.")
        if file.size > LONGEST:
            raise CalibrationError("This file is too long for a calibration.")
        try:
            text = file.read().decode("utf-8")
        except UnicodeDecodeError as error:
            raise CalibrationError("This file is no text, so no calibration.") from error
        BENCH.refuse_others(request.user, BENCH.feeds_of_channels([channel.pk]))
        calibration_flows.take_in(channel, text, request.user)
    except GalenaError as error:
        return _sheet(request, experiment, channel, str(error))
    return _changed(request, experiment, channel)


def _describe(making, posted) -> None:
    calibration_flows.describe_value(
        making,
        quantity=posted.get("quantity", making.quantity),
        symbol=posted.get("symbol", making.symbol),
        unit=posted.get("unit", making.unit),
        model=posted.get("model", making.model),
    )


def _channel(channel_id: int) -> Channel:
    channels = Channel.objects.select_related("instrument", "calibration")
    return get_object_or_404(channels, pk=channel_id)


def _changed(request, experiment, channel: Channel):
    BENCH.refresh()
    response = _sheet(request, experiment, _channel(channel.pk))
    response["HX-Trigger-After-Settle"] = "bench-changed"
    return response


def _sheet(request, experiment, channel: Channel, trouble: str = "", typed=None):
    making = calibration_flows.in_the_making(channel, request.user)
    takes = list(making.takes.all())
    standards = [one.standard for one in takes]
    curve, refused = None, ""
    if takes:
        try:
            curve = calibration_flows.curve_of(making)
        except GalenaError as error:
            refused = str(error)
    left = residuals(curve, standards) if curve else [None] * len(takes)
    decimals = channel.decimals + 1
    context = {
        "experiment": experiment,
        "channel": channel,
        "making": making,
        "typed": typed or {},
        "rows": [_row(one, residual, decimals) for one, residual in zip(takes, left, strict=True)],
        "models": MODELS,
        "curve": _in_words(curve) if curve else None,
        "refused": refused,
        "trouble": trouble,
        "graph": draw(standards, curve),
        "taking": _takes.get((channel.pk, request.user.pk)),
        "history": [
            {"calibration": one, "words": _in_words(one.curve)}
            for one in channel.calibrations.kept().select_related("made_by")
        ],
    }
    status = 422 if trouble else 200
    return render(request, "bench/_calibration.html", context, status=status)


def _row(take, residual, decimals: int) -> dict:
    return {
        "take": take,
        "known": take.known_text,
        "u_known": f"{take.u_known:.3g}" if take.u_known else "",
        "mean": numbers.fixed(take.mean, decimals),
        "sd": "–" if take.sd is None else numbers.significant(take.sd),
        "residual": "" if residual is None else _signed(float(residual)),
    }


def _signed(value: float) -> str:
    if abs(value) < 1e-9:
        return "0"
    return ("+" if value > 0 else "") + numbers.significant(value)


def _in_words(curve: curves.Calibration) -> dict:
    """Say what a curve is: its equation's numbers, what is left over, and its uncertainty."""
    middle = (curve.low + curve.high) / 2
    u = float(curve.uncertainty(np.array(middle)))
    errors = [row[k] ** 0.5 for k, row in enumerate(curve.covariance)]
    powers = ["", " · r", " · r²", " · r³"]
    terms = [
        (numbers.estimate(value, error), power)
        for value, error, power in zip(curve.coefficients, errors, powers, strict=False)
    ]
    if curve.model == "offset":
        terms = [(numbers.estimate(curve.coefficients[0] - curve.centre, errors[0]), "")]
    return {
        "label": dict(MODELS)[curve.model],
        "is_offset": curve.model == "offset",
        "terms": terms,
        "centre": f"{curve.centre:.6g}".replace("-", numbers.MINUS),
        "unit": curve.unit,
        "residual_sd": numbers.significant(curve.residual_sd) if curve.residual_sd > 0 else "",
        "u": numbers.significant(u) if u > 0 else "",
    }
