"""The Lua reader on the table that the template made: its numbers put every frame where its source is."""

import json
import math
import subprocess
from pathlib import Path
from typing import Any

import numpy as np

from conftest import decode, tool

from .conftest import READERS, Crate, times_of

ASK = (Path(__file__).parent / "ask_reader.lua").read_text("utf-8")


def asked(crate: Crate, moments: list[tuple[str, int]]) -> list[Any]:
    folder = crate.path.parent
    (folder / "ask.lua").write_text(ASK)
    (folder / "moments.txt").write_text("".join(f"{name}\t{moment}\n" for name, moment in moments))
    table = crate.path.with_suffix(".lua")
    command = [tool("lua5.4"), folder / "ask.lua", READERS / "lua", table, folder / "moments.txt"]
    said = subprocess.run(command, capture_output=True, encoding="utf-8", check=False)
    assert said.stderr == ""
    return [json.loads(line) for line in said.stdout.splitlines()]


def test_quads_and_placements_put_every_pixel_where_its_source_is(crate: Crate) -> None:
    frames = crate.document["frames"]
    sheets = [decode(crate.path.parent / sheet["image"]) for sheet in crate.document["sheets"]]
    answers = asked(crate, [])
    assert len(answers) == len(frames) >= 10
    for frame, (on, x, y, w, h, sheet_w, sheet_h, left, top, angle, across, down) in zip(frames, answers, strict=True):
        sheet = sheets[on - 1]
        assert sheet.shape[1::-1] == (sheet_w, sheet_h)
        source = crate.sources[frame["name"]]
        found = np.zeros_like(source)
        v, u = (places + 0.5 for places in np.mgrid[:h, :w])
        across_, down_ = u * across, v * down
        right = left + across_ * math.cos(angle) - down_ * math.sin(angle)
        below = top + across_ * math.sin(angle) + down_ * math.cos(angle)
        columns = np.floor(right - 40 + frame["pivot"][0] + 1e-6).astype(int)
        rows = np.floor(below - 40 + frame["pivot"][1] + 1e-6).astype(int)
        found[rows, columns] = sheet[y : y + h, x : x + w]
        assert (found == source)[(source[..., 3] > 0) | (found[..., 3] > 0)].all(), frame


def test_the_timing_rule(crate: Crate) -> None:
    animations, frames = crate.document["animations"], crate.document["frames"]
    wanted = [(one["name"], moment, frame) for one in animations for moment, frame in times_of(one)]
    answers = asked(crate, [(name, moment) for name, moment, _ in wanted])[len(frames) :]
    assert answers == [frames[frame]["name"] for *_, frame in wanted]


def test_the_table_names_the_images_of_skins(worn: Crate) -> None:
    text = worn.path.with_suffix(".lua").read_text("utf-8")
    assert 'skins = { ["coat"] = "o-coat.png", }' in text
