"""What changed between two crates, as one page: a table, and the changed frames before and after."""

from __future__ import annotations

import base64
from collections import Counter
from collections.abc import Callable, Sequence
from importlib import resources

import numpy as np

from ..core.crate.changes import Change, Draw
from ..core.frame.alpha import premultiplied
from ..core.model.crate import Crate
from ..core.pixels import Pixels
from ..core.text import counted, joined, shown

MOST_PICTURES = 200
ROOM = 192
"""Page pixels that a picture takes at most, if a whole zoom brings it there."""

NOUNS = {
    "sheet": ("sheet changed", "sheets changed"),
    "came": ("came", "came"),
    "went": ("went", "went"),
    "canvas": ("canvas changed", "canvases changed"),
    "pixels": ("picture changed", "pictures changed"),
    "pivot": ("pivot moved", "pivots moved"),
    "timing": ("timing changed", "timings changed"),
    "moved": ("lies elsewhere on its sheet", "lie elsewhere on their sheets"),
}


def summary_of(changes: Sequence[Change]) -> str:
    """How many changes there are of each kind, in a line."""
    counts = Counter(change.kind for change in changes)
    return joined(counted(count, *NOUNS[kind]) for kind, count in counts.items()) or "nothing changed"


def heat(old: Pixels, new: Pixels) -> Pixels:
    """Where two pictures of one shape differ, and how much: from black where they do not, through red to white where a
    channel differs most. Colours are weighed by their alpha."""
    by = np.abs(premultiplied(new).astype(np.int16) - premultiplied(old)).max(axis=2)
    seen = np.where(by > 0, np.maximum(by, 40), 0).astype(np.uint16)
    result = np.zeros((*by.shape, 4), np.uint8)
    result[..., 0] = np.minimum(seen * 2, 255)
    result[..., 1] = np.maximum(seen.astype(np.int16) * 2 - 255, 0)
    result[..., 2] = np.maximum(seen.astype(np.int16) * 4 - 765, 0)
    result[..., 3] = 255
    return result


def changes_page(
    names: tuple[str, str], changes: Sequence[Change], old: tuple[Crate, Draw], new: tuple[Crate, Draw],
    png: Callable[[Pixels], bytes],
) -> str:  # fmt: skip
    """The page. `names` are those of the old and the new metadata; `png` makes a file of a picture. Loads nothing."""
    from jinja2 import Environment, StrictUndefined
    from markupsafe import Markup

    changed = [change.name for change in changes if change.kind == "pixels"]
    places = [{frame.name: index for index, frame in enumerate(crate.frames)} for crate, _ in (old, new)]
    pictures = []
    for name in changed[:MOST_PICTURES]:
        before, after = old[1](places[0][name]), new[1](places[1][name])
        height, width = after.shape[:2]
        zoom = max(1, ROOM // max(height, width))
        trio = (("before", before), ("after", after), ("difference", heat(before, after)))
        images = [(said, "data:image/png;base64," + base64.b64encode(png(one)).decode()) for said, one in trio]
        pictures.append({"name": shown(name), "width": width * zoom, "height": height * zoom, "images": images})
    files = resources.files(__package__) / "page"
    template = Environment(autoescape=True, undefined=StrictUndefined).from_string(
        (files / "changes.html.j2").read_text("utf-8")
    )
    return template.render(
        old=shown(names[0]),
        new=shown(names[1]),
        style=Markup((files / "page.css").read_text("utf-8")),
        summary=summary_of(changes),
        changes=[{"kind": one.kind, "name": shown(one.name), "what": one.what} for one in changes],
        pictures=pictures,
        more=max(0, len(changed) - MOST_PICTURES),
    )
