# SPDX-License-Identifier: MIT
# Copyright (c) The Agile Crate developers
"""A small reader of Agile Crate metadata, version 1, for games in Python. Copy it into yours.

    crate = load("build/otter.json")
    sheets = [pygame.image.load(path).convert_alpha() for path in crate.images]
    draw(screen, crate, sheets, crate.frame_at("swim", milliseconds), (x, y))      # the pivot at x, y

`load`, `frame_at` and `placement` need nothing but Python; `draw` and `picture` need pygame-ce.
"""

import json
import math
from pathlib import Path


class Crate:
    """The metadata: `frames` and `animations` are lists of dictionaries, keys as in docs/programmers/format.md."""

    def __init__(self, document, folder, skin=""):
        if document.get("format") != "agile-crate" or document.get("version") != 1:
            raise ValueError("not Agile Crate metadata of version 1")
        self.sheets, self.frames = document["sheets"], document["frames"]
        sheets = [sheet["skins"][skin] for sheet in self.sheets] if skin else self.sheets
        self.premultiplied = document.get("alpha") == "premultiplied" and not sheets[0].get("plain")
        self.animations = {animation["name"]: animation for animation in document["animations"]}
        self.by_name = {frame["name"]: frame for frame in self.frames}
        self.images = [folder / _file_name(sheet["image"]) for sheet in sheets]

    def frame(self, name):
        """Return a frame by its name. Raises KeyError for an unknown name."""
        return self.by_name[name]

    def frame_at(self, name, milliseconds):
        """Return the frame that an animation shows at a time after its start."""
        animation = self.animations[name]
        return self.frames[animation["frames"][step_at(animation, milliseconds)]]


def load(path, skin=""):
    """Read the metadata, with the images of a skin if one is named. Raises KeyError for an unknown skin, and ValueError
    for other files or versions."""
    path = Path(path)
    return Crate(json.loads(path.read_text("utf-8")), path.parent, skin)


def _file_name(image):
    if image in ("", ".", "..") or set(image) & set("/\\:\0"):
        raise ValueError(f"an image must be a file in the metadata's folder, not {image!r}")
    return image


def step_at(animation, milliseconds):
    """Return the position in an animation's lists at a time. Each step lasts for its own duration, or its own beats.

    A thousandth of a beat is added, so that a clock that counts in the same beats misses none by rounding. Back
    and forth plays 1 2 3 4 3 2 and starts over: the first and the last once a turn. An animation that is shown
    once (or `times` times) stays on its last frame.
    """
    steps = list(range(len(animation["frames"])))
    if animation.get("loop") == "back-and-forth":
        steps += steps[-2:0:-1]
    lengths, now = animation["durations"], milliseconds
    if "beats" in animation:
        beats_a_second = animation["fps"][0] / animation["fps"][1]
        lengths, now = animation["beats"], math.floor(milliseconds * beats_a_second / 1000 + 0.001)
    if animation.get("loop") == "once" and now < 0:
        return steps[0]
    turn = sum(lengths[step] for step in steps)
    if animation.get("loop") == "once" and now >= turn * max(1, animation.get("times", 0)):
        return steps[-1]
    left = now % turn
    for step in steps:
        left -= lengths[step]
        if left < 0:
            return step
    return steps[-1]


def placement(frame):
    """Return the place of a frame's upright, flipped pixels, from its pivot: x and y of their top left."""
    w, h = frame["box"][2:]
    if frame.get("turned"):
        w, h = h, w
    left, top = frame["offset"]
    mirror = frame.get("mirror", "")
    if "x" in mirror:
        left = frame["canvas"][0] - left - w
    if "y" in mirror:
        top = frame["canvas"][1] - top - h
    return left - frame["pivot"][0], top - frame["pivot"][1]


def picture(sheets, entry):
    """Return a frame's stored pixels, upright and flipped, as a pygame surface. Keep it if the game draws it often."""
    import pygame

    surface = sheets[entry["sheet"]].subsurface(pygame.Rect(entry["box"]))
    if entry.get("turned"):
        surface = pygame.transform.rotate(surface, 90)  # counterclockwise
    mirror = entry.get("mirror", "")
    return pygame.transform.flip(surface, "x" in mirror, "y" in mirror) if mirror else surface


def draw(target, crate, sheets, entry, at):
    """Draw a frame on a pygame surface with its pivot at a point (x, y), to the nearest whole pixel."""
    import pygame

    if 0 in entry["box"][2:]:
        return  # wholly empty
    left, top = placement(entry)
    blend = pygame.BLEND_PREMULTIPLIED if crate.premultiplied else 0
    place = (math.floor(at[0] + left + 0.5), math.floor(at[1] + top + 0.5))
    target.blit(picture(sheets, entry), place, special_flags=blend)
