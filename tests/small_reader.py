"""Reads an experiment file with nothing but the standard library and NumPy."""

import hashlib
import io
import json
import sys
import zipfile

import numpy as np


def opened(path):
    """Give all files of a package by their names, each checked against its checksum."""
    with zipfile.ZipFile(path) as package:
        files = {name: package.read(name) for name in package.namelist()}
    for line in files["checksums.sha256"].decode().splitlines():
        checksum, name = line.split("  ", 1)
        if hashlib.sha256(files[name]).hexdigest() != checksum:
            raise SystemExit(f"{name} is damaged")
    return files


def row(rows, table, number):
    """Give a row by the number that others refer to it by: they are counted from 1."""
    return rows[f"experiments.{table}"][number - 1] if number else None


def readings(files, rows, number):
    """Give times in s and the values that people see, of a series without a calibration."""
    series = row(rows, "series", number)
    stream = row(rows, "stream", series["stream"])
    listed = enumerate(rows["experiments.series"], 1)
    stamps = next(place for place, other in listed
                  if other["stream"] == series["stream"] and other["quantity"] is None)  # fmt: skip
    ticks, raw = (np.load(io.BytesIO(files[f"readings/{one}.npy"])) for one in (stamps, number))
    t = (ticks - stream["origin_us"]) * stream["scale"] / 1e6
    return t, series["sign"] * (raw - (series["zero"] or 0.0))


def main(path):
    files = opened(path)
    content = json.loads(files["galena.json"])
    rows = content["rows"]
    print(content["experiment"]["title"])
    for number, run in enumerate(rows["experiments.run"], 1):
        said = []
        for held in rows["experiments.conditionvalue"]:
            if held["run"] == number and held["text"]:
                of = row(rows, "condition", held["condition"])
                said.append(f"{of['name']} {held['text']} {of['unit']}")
        for place, series in enumerate(rows["experiments.series"], 1):
            quantity = row(rows, "quantity", series["quantity"])
            if quantity and row(rows, "stream", series["stream"])["run"] == number:
                t, y = readings(files, rows, place)
                print(f"run {run['number']}: {t.size} readings, {', '.join(said)}")
                print(f"mean {quantity['symbol']} = {y.mean():.12g} {quantity['unit']}")


main(sys.argv[1])
