"""Films as people bring them: coders, turned pictures, sizes, rates, times that run backwards."""

import re
import time

import av
import numpy as np
import pytest

from galena.clips import video
from galena.clips.errors import ClipError
from galena.shell.worker import WorkerError, Workers
from tests import films


def prepared(path, tmp_path):
    video.length_of(str(path))
    return video.prepare(str(path), str(tmp_path))


def numbers_of(path):
    with av.open(str(path)) as container:
        return [films.number_of(frame.to_ndarray(format="rgb24"))
                for frame in container.decode(video=0)]  # fmt: skip


def written(path, codec, ticks, size=films.SIZE, options=None, pix_fmt="yuv420p", picture=None):
    """Write a film by a coder, its pictures at times in ms, in the order given.

    A coder takes no times that run backwards: such are put on what it made.
    """
    ordered = list(range(len(ticks))) if list(ticks) != sorted(set(ticks)) else list(ticks)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options or {})
        stream.width, stream.height = size
        stream.pix_fmt = pix_fmt
        stream.thread_count = 1
        stream.time_base = stream.codec_context.time_base = video.Fraction(1, 1000)

        def mux(packets):
            for packet in packets:
                if ordered != list(ticks):
                    packet.dts, packet.pts = packet.pts, ticks[packet.pts]
                container.mux(packet)

        for number, tick in enumerate(ordered):
            drawn = films.number_picture(number) if picture is None else picture(number)
            frame = av.VideoFrame.from_ndarray(drawn, format="rgb24").reformat(format=pix_fmt)
            frame.pts, frame.time_base = tick, stream.codec_context.time_base
            mux(stream.encode(frame))
        mux(stream.encode())
    return path


@pytest.mark.parametrize(("name", "codec", "options", "pix_fmt"), [
    ("a.mp4", "libx265", {"preset": "ultrafast", "x265-params": "log-level=none"}, "yuv420p"),
    ("a.mp4", "libsvtav1", {"preset": "7", "crf": "8"}, "yuv420p"),
    ("a.mkv", "libx264", {"bf": "3", "preset": "veryfast"}, "yuv420p"),
    ("a.webm", "libvpx", {"deadline": "realtime", "cpu-used": "8"}, "yuv420p"),
    ("a.avi", "mjpeg", {}, "yuvj420p"), ("a.mov", "mjpeg", {}, "yuvj420p"),
])  # fmt: skip
def test_films_of_all_coders_are_prepared_picture_by_picture(
    tmp_path, name, codec, options, pix_fmt
):
    path = written(tmp_path / name, codec, range(0, 600, 40), (320, 240), options, pix_fmt,
                   lambda k: films.number_picture(k).repeat(2, 0).repeat(2, 1))  # fmt: skip
    made = prepared(path, tmp_path)
    assert made.times.tolist() == pytest.approx(range(0, 600_000, 40_000), abs=1000)
    assert numbers_of(tmp_path / "working.mp4") == list(range(15))


@pytest.mark.parametrize("quarters", [1, 2, 3])
def test_turned_pictures_are_put_upright(tmp_path, quarters):
    path = films.film(tmp_path / "turned.mp4", np.arange(3) / 25, with_dot=False)
    _turn(path, quarters)
    made = prepared(path, tmp_path)
    width, height = films.SIZE
    assert (made.width, made.height) == ((height, width) if quarters % 2 else (width, height))
    with av.open(str(tmp_path / "working.mp4")) as container:
        upright = next(container.decode(video=0)).to_ndarray(format="gray")
    # The bars at the foot of the picture as it lies turn with it, clockwise.
    sides = {1: upright[:, : films.BAR // 2], 2: upright[: films.BAR // 2],
             3: upright[:, -films.BAR // 2 :]}  # fmt: skip
    assert sides[quarters].mean() < 60  # all bars of picture 0 are dark
    assert np.median(upright) > 120


def _turn(path, quarters):
    """Have a film say that its pictures are to be turned clockwise by so many quarters."""
    data = bytearray(path.read_bytes())
    cos, sin = [(1, 0), (0, 1), (-1, 0), (0, -1)][quarters]
    matrix = [cos, sin, 0, -sin, cos, 0, 0, 0]
    begin = data.index(b"tkhd") + 4 + 40  # version and flags, times, key, volume
    for place, value in enumerate(matrix):
        data[begin + 4 * place : begin + 4 * place + 4] = (value << 16).to_bytes(
            4, "big", signed=True
        )
    path.write_bytes(data)


def test_pictures_of_8k_are_prepared_smaller(tmp_path):
    size = (7680, 4320)
    path = written(tmp_path / "large.mp4", "libx264", range(0, 80, 40), size,
                   {"preset": "ultrafast"}, picture=lambda k: np.full((4320, 7680, 3), 90, np.uint8)
                   )  # fmt: skip
    made = prepared(path, tmp_path)
    assert (made.width, made.height, made.shown_width) == (*size, 1280)


def test_pictures_larger_than_any_camera_gives_are_refused(tmp_path, monkeypatch):
    path = films.film(tmp_path / "a.mp4", [0.0, 0.04])
    monkeypatch.setattr(video, "LARGEST", 100)
    with pytest.raises(ClipError, match="larger than 100 pixels"):
        video.length_of(str(path))


def test_pictures_that_are_larger_than_the_file_says_are_refused(tmp_path, monkeypatch):
    size = (64, 20_000)
    path = written(tmp_path / "tall.avi", "mjpeg", range(0, 80, 40), size, pix_fmt="yuvj420p",
                   picture=lambda k: np.full((20_000, 64, 3), 90, np.uint8))  # fmt: skip
    with pytest.raises(ClipError, match="larger than 9000 pixels"):
        video.prepare(str(path), str(tmp_path))
    monkeypatch.setattr(video, "LARGEST", 30_000)  # more than the coder of the copy takes
    with pytest.raises(ClipError, match="No working copy"):
        video.prepare(str(path), str(tmp_path))


def test_240_pictures_a_second_keep_their_times(tmp_path):
    times = np.arange(120) / 240
    made = prepared(films.film(tmp_path / "fast.mp4", times, with_dot=False), tmp_path)
    assert np.allclose(made.times / 1e6, times, atol=2e-5)
    assert numbers_of(tmp_path / "working.mp4") == list(range(120))


def test_pictures_whose_times_run_backwards_are_left_out_and_counted(tmp_path):
    ticks = [0, 40, 80, 60, 70, 120, 120, 160]
    path = written(tmp_path / "back.mkv", "mjpeg", ticks, pix_fmt="yuvj420p")
    made = prepared(path, tmp_path)
    assert made.times.tolist() == [0, 40_000, 80_000, 120_000, 160_000]
    assert made.left_out == 3
    assert numbers_of(tmp_path / "working.mp4") == [0, 1, 2, 5, 7]


def sleep_for_ever():
    time.sleep(600)


def take_much():
    video._bound()
    return np.ones(10**10).sum()  # 80 GB


def test_a_decoder_that_hangs_or_grows_is_given_up_and_replaced():
    workers = Workers(1)
    try:
        with pytest.raises(WorkerError):
            workers.do(sleep_for_ever, patience=0.5)
        # it is told that there is no room, or its process dies of it
        with pytest.raises((WorkerError, MemoryError)):
            workers.do(take_much, patience=60)
        assert workers.do(re.escape, "a.b", patience=60) == r"a\.b"
    finally:
        workers.close()


def test_a_film_that_says_nothing_of_its_length_is_given_the_longest_time(tmp_path):
    told = films.film(tmp_path / "a.mp4", np.arange(5) / 25)
    assert video.length_of(str(told)) == pytest.approx(0.2, abs=0.1)
    silent = tmp_path / "a.h264"  # pictures without a container around them
    with av.open(str(told)) as source, av.open(str(silent), "w", format="h264") as bare:
        stream = bare.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = stream
                bare.mux(packet)
    assert video.length_of(str(silent)) == video.LONGEST
