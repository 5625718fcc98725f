"""The light table: one HTML file that contains everything and needs no network; or, with `watch`, a page that gets
updates from this program."""

from __future__ import annotations

import base64
import hashlib
import json
import re
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from importlib import resources
from types import MappingProxyType
from typing import Any, NamedTuple
from urllib.parse import quote

from ..core.crate.changes import Change, summary_of
from ..core.crate.summary import SheetSummary, sheet_summaries
from ..core.inspect.finding import CODES, Finding
from ..core.inspect.findings import by_code
from ..core.model.crate import Crate
from ..core.text import bytes_shown, counted, few, measured, shown
from ..format.document import document_of
from .page_style import page_style

SCRIPTS = (
    "crate", "crates", "model", "time", "view", "pictures", "compare", "stage", "measure", "timeline", "reel", "sheet",
    "numbers", "live", "page",
)  # fmt: skip
"""In the order in which they build on each other; the first is our reader."""

SHEET_HEADINGS = ("sheet", "size", "cells", "cell", "margin", "gap", "frames", "full", "GPU memory")

KEYS = (
    ("space", "play, pause"), ("← →", "step"), ("↑ ↓", "animation"), ("Home End", "first, last step"),
    ("[ ] \\", "loop start, end, whole"), ("+ − 0", "zoom in, out, fit"), ("shift arrows", "pan"),
    ("O", "onion skin"), ("G", "ground: line, directions"), ("P C S", "pivot, canvas, shapes"),
    ("W", "path of feet and center of mass"), ("M", "mirrored"), ("R", "measure; arrows, Enter"),
    ("B N", "boxes, names on the sheet"), ("/", "find an animation"),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Against:
    """The other crate of a comparison: its name, the crate, the addresses of its sheets, and the changes."""

    name: str
    crate: Crate
    images: Sequence[str]
    changes: Sequence[Change]


class PageCrate(NamedTuple):
    """One crate of a page.

    crate     its metadata
    images    addresses of the sheets' images, straight alpha; a page that is to stand alone has them `inlined`
    label     its title, by default the crate's name
    findings  of a survey
    skins     the images of each skin
    against   another crate to compare with
    texts     further text files of the crate by their names
    """

    crate: Crate
    images: Sequence[str]
    label: str = ""
    findings: Sequence[Finding] = ()
    skins: Mapping[str, Sequence[str]] = MappingProxyType({})
    against: Against | None = None
    texts: Sequence[tuple[str, str]] = ()

    @property
    def title(self) -> str:
        """The title, escaped for people."""
        return shown(self.label or self.crate.name)


class Live(NamedTuple):
    """A served page: where its news come from, which build it shows, any error since, and the names and addresses of
    all served crates."""

    events: str
    build: int
    wrong: str
    others: Sequence[tuple[str, str]]


def page_of(crates: Sequence[PageCrate], live: Live | None = None) -> str:
    """Return the page of one or more crates, with a list of several. Every name is escaped. The page loads only its own
    contents, and those of its server."""
    from jinja2 import DictLoader, Environment, StrictUndefined
    from markupsafe import Markup

    files = resources.files(__package__) / "page"
    forms = DictLoader({name: (files / name).read_text("utf-8") for name in ("page.html.j2", "body.html.j2")})
    environment = Environment(
        loader=forms, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    style = _slim(page_style())
    script = "".join(_slim((files / f"{name}.js").read_text("utf-8")) for name in SCRIPTS)
    keys = [crate.title for crate in crates]
    others = live.others if live else [(key, f"#crate={quote(key, safe='')}") for key in keys]
    body = environment.get_template("body.html.j2")
    return environment.get_template("page.html.j2").render(
        policy=_policy(style, script, bool(live)),
        style=Markup(style),
        script=Markup(script),
        crates=[
            {"key": crate.title, "title": crate.title, "body": Markup(body.render(_body(crate, live), others=others))}
            for crate in crates
        ],
    )


def _body(page: PageCrate, live: Live | None) -> dict[str, Any]:
    """Return the template's values for a crate."""
    from markupsafe import Markup

    crate, against = page.crate, page.against
    data: dict[str, Any] = {
        "crate": with_images(crate, page.images, page.skins),
        "findings": [{"frames": f.frames, "severity": f.severity, "what": f.what} for f in page.findings],
        "texts": packed_texts(page.texts),
        "differs": [change.name for change in against.changes if change.kind != "moved"] if against else [],
        **tables_of(crate),
    }
    if against:
        data["before"] = with_images(against.crate, against.images)
    if live:
        data["live"] = {"events": live.events, "build": live.build}
    tabs = [("numbers", "Numbers")]
    if against:
        tabs.insert(0, ("changes", f"Changes ({len(against.changes):,})"))
    if page.findings:
        tabs.insert(0, ("findings", f"Findings ({len(page.findings):,})"))
    return {
        "title": page.title,
        "summary": _summary(crate),
        "images": [shown(sheet.image) for sheet in crate.sheets],
        "skins": [(name, shown(name)) for name in page.skins],
        "forms": [(form, form) for form in ("text", "JSON")] + [(name, shown(name)) for name, _ in page.texts],
        "keys": KEYS,
        "tabs": tabs,
        "data": Markup(_in_script(data)),
        "findings": _grouped(page.findings),
        "against": _comparison(against, crate) if against else None,
        "live": live,
    }


def waiting_page(name: str, wrong: str) -> str:
    """A page for a crate that has not been built yet, with the error, if any; it reloads by
    itself."""
    from jinja2 import Environment
    from markupsafe import Markup

    style = _slim(page_style())
    template = Environment(autoescape=True).from_string(WAITING)
    return template.render(name=shown(name), wrong=wrong, style=Markup(style), policy=_policy(style, "", served=False))


WAITING = """\
<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="refresh" content="1">
<meta http-equiv="Content-Security-Policy" content="{{ policy }}">
<title>{{ name }}</title>
<link rel="icon" href="data:,">
<style>{{ style }}</style>
</head>
<body>
<header><h1>{{ name }}</h1><p class="summary">waiting for the first build</p></header>
{% if wrong %}<p id="alarm" role="alert">{{ wrong }}</p>{% endif %}
</body>
</html>
"""


def _policy(style: str, script: str, served: bool) -> str:
    """Return what the page may do (Content Security Policy, level 3): have its own style and run its own script, by
    their digests, and show images that it brings along; where it is served, fetch its sheets and hear news from where
    it came itself. Nothing else."""
    images, news = ("'self' data:", "; connect-src 'self'") if served else ("data:", "")
    return f"default-src 'none'; img-src {images}; style-src {_source(style)}; script-src {_source(script)}{news}"


def _source(text: str) -> str:
    return f"'sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}'"


def media_type(image: bytes) -> str:
    """Return what a sheet's file is, PNG or WebP, as browsers name it."""
    return "image/webp" if image.startswith(b"RIFF") else "image/png"


def inlined(image: bytes) -> str:
    """A PNG file as an address that holds it."""
    return f"data:{media_type(image)};base64,{base64.b64encode(image).decode()}"


def packed_texts(texts: Sequence[tuple[str, str]]) -> dict[str, str]:
    """Pack named texts for the page: deflated (RFC 1950), in base 64."""
    return {name: base64.b64encode(zlib.compress(text.encode())).decode() for name, text in texts}


def with_images(
    crate: Crate, images: Sequence[str], skins: Mapping[str, Sequence[str]] = MappingProxyType({})
) -> dict[str, Any]:
    """The metadata of a crate with the addresses of its images."""
    document = document_of(crate)
    for sheet, image in zip(document["sheets"], images, strict=True):
        sheet["data"] = image
    for name, skin_images in skins.items():
        for sheet, image in zip(document["sheets"], skin_images, strict=True):
            sheet["skins"][name]["data"] = image
    return document


def tables_of(crate: Crate) -> dict[str, Any]:
    """Return what the page tells of sheets beside their metadata."""
    return {"sheet_headings": SHEET_HEADINGS, "sheet_rows": _sheet_rows(crate)}


_COMMENT = re.compile(r"^\s*(?://[^\n]*|/\*.*?\*/)\n", re.MULTILINE | re.DOTALL)
_INDENT = re.compile(r"^[ \t]+", re.MULTILINE)


def _slim(text: str) -> str:
    """A script or style sheet without whole lines of comment, and without indentation."""
    return _INDENT.sub("", _COMMENT.sub("", text))


def _grouped(findings: Sequence[Finding]) -> list[dict[str, Any]]:
    """Group findings by code, each with its subject and its places."""
    return [
        {
            "severity": group[0].severity,
            "code": group[0].code,
            "about": CODES[group[0].code],
            "places": [
                {
                    "frame": finding.frames[0] if finding.frames else "",
                    "animation": finding.sequence,
                    "of": _about(finding),
                    "what": shown(finding.what),
                    "fix": shown(finding.fix),
                }
                for finding in group
            ],
        }
        for group in by_code(findings)
    ]


def _about(finding: Finding) -> str:
    """The sequence, and the first frames that a finding is about."""
    names = few((name.rpartition("/")[2] for name in finding.frames), 6)
    return f"{shown(finding.sequence)} ({names})" if names else shown(finding.sequence)


def _comparison(against: Against, crate: Crate) -> dict[str, Any]:
    """Return what changed, with where to look at it."""
    frames = {frame.name for frame in crate.frames}
    animations = {animation.name for animation in crate.animations}
    return {
        "name": shown(against.name),
        "summary": summary_of(against.changes),
        "changes": [
            {
                "kind": change.kind,
                "name": shown(change.name),
                "what": change.what,
                "frame": change.name if change.name in frames else "",
                "animation": change.name if change.name in animations else "",
            }
            for change in against.changes
        ],
    }


def _in_script(document: object) -> str:
    """Return JSON for a script element: nothing in it can end the element (HTML, section 4.12.1.3)."""
    return json.dumps(document, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


def _summary(crate: Crate) -> str:
    parts = [counted(len(crate.frames), "frame"), counted(len(crate.animations), "animation")]
    parts += [counted(len(crate.sheets), "sheet"), f"scale {crate.scale:g}", crate.generator]
    return " · ".join(filter(None, parts))


def _cells_of(sheet: SheetSummary) -> str:
    if sheet.cell:
        return measured(sheet.cell)
    return counted(len(sheet.blocks), "block") if sheet.blocks else "–"


def _sheet_rows(crate: Crate) -> list[list[str]]:
    return [
        [
            shown(sheet.image),
            measured(sheet.size),
            f"{sheet.columns} × {sheet.rows}" if sheet.cell else "–",
            _cells_of(sheet),
            str(sheet.margin),
            str(sheet.gap),
            str(sheet.count),
            f"{sheet.fill_ratio:.0%}",
            bytes_shown(sheet.gpu_bytes),
        ]
        for sheet in sheet_summaries(crate)
    ]
