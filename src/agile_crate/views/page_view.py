"""The player page: one HTML file with everything in it, which opens by itself and asks nobody for anything."""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping, Sequence
from importlib import resources
from types import MappingProxyType
from typing import Any

from ..core.crate.summary import animation_summaries, sheet_summaries
from ..core.look.finding import CODES, Finding
from ..core.look.findings import by_code
from ..core.model.crate import Crate
from ..core.text import bytes_shown, counted, few, measured, shown
from ..format.document import document_of

ROOM = 320
"""Page pixels. Small art is first shown at the largest whole zoom, up to LARGEST_ZOOM, at which its canvases fit."""

LARGEST_ZOOM = 8


def page_of(
    crate: Crate,
    images: Sequence[bytes],
    findings: Sequence[Finding] = (),
    skins: Mapping[str, Sequence[bytes]] = MappingProxyType({}),
) -> str:
    """The page. `images` are the sheets' PNG files, straight alpha, and `skins` those of each skin; `findings` are a
    survey's. Every name is escaped; the page may load nothing but the data that it brings along.
    """
    from jinja2 import Environment, StrictUndefined
    from markupsafe import Markup

    files = resources.files(__package__) / "page"
    read = {name: (files / name).read_text("utf-8") for name in ("page.html.j2", "page.css", "crate.js", "page.js")}
    document = document_of(crate)
    for sheet, image in zip(document["sheets"], images, strict=True):
        sheet["data"] = _data(image)
    for name, worn in skins.items():
        for sheet, image in zip(document["sheets"], worn, strict=True):
            sheet["skins"][name]["data"] = _data(image)
    document["findings"] = [{"frames": one.frames, "sequence": one.sequence, "what": one.what} for one in findings]
    longest = max((side for frame in crate.frames for side in frame.canvas), default=1)
    template = Environment(autoescape=True, undefined=StrictUndefined).from_string(read["page.html.j2"])
    return template.render(
        title=shown(crate.name),
        summary=_summary(crate),
        animations=[(one.name, shown(one.name)) for one in crate.animations],
        images=[shown(sheet.image) for sheet in crate.sheets],
        skins=[(name, shown(name)) for name in skins],
        zoom=max(1, min(LARGEST_ZOOM, ROOM // longest)),
        style=Markup(read["page.css"]),
        script=Markup(read["crate.js"] + read["page.js"]),
        document=Markup(_in_script(document)),
        sheet_headings=("sheet", "size", "cells", "cell", "margin", "gap", "frames", "full", "GPU memory"),
        sheet_rows=_sheet_rows(crate),
        animation_headings=("animation", "first", "last", "frames", "fps", "ms", "loop"),
        animation_rows=_animation_rows(crate),
        findings=_grouped(findings),
    )


def _data(image: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(image).decode()


def _grouped(findings: Sequence[Finding]) -> list[dict[str, Any]]:
    """Findings by their codes: of each what it is about, and its places with their number among all."""
    numbers = {finding: number for number, finding in enumerate(findings)}
    return [
        {
            "severity": alike[0].severity,
            "code": alike[0].code,
            "about": CODES[alike[0].code],
            "places": [
                {"number": numbers[one], "of": _about(one), "what": shown(one.what), "remedy": shown(one.remedy)}
                for one in alike
            ],
        }
        for alike in by_code(findings)
    ]


def _about(finding: Finding) -> str:
    """The sequence, and the first frames that a finding is about."""
    names = few((name.rpartition("/")[2] for name in finding.frames), 6)
    return f"{shown(finding.sequence)} ({names})" if names else shown(finding.sequence)


def _in_script(document: object) -> str:
    """JSON that can stand in a script element: nothing in it can end that (HTML, section 4.12.1.3)."""
    return json.dumps(document, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")


def _summary(crate: Crate) -> str:
    parts = [counted(len(crate.frames), "frame"), counted(len(crate.animations), "animation")]
    parts += [counted(len(crate.sheets), "sheet"), f"scale {crate.scale:g}", crate.generator]
    return " · ".join(filter(None, parts))


def _sheet_rows(crate: Crate) -> list[list[str]]:
    return [
        [
            shown(sheet.image),
            measured(sheet.size),
            f"{sheet.columns} × {sheet.rows}" if sheet.cell else "–",
            measured(sheet.cell) if sheet.cell else counted(len(sheet.blocks), "block") if sheet.blocks else "–",
            str(sheet.margin),
            str(sheet.gap),
            str(sheet.count),
            f"{sheet.full:.0%}",
            bytes_shown(sheet.gpu_bytes),
        ]
        for sheet in sheet_summaries(crate)
    ]


def _animation_rows(crate: Crate) -> list[list[str]]:
    return [
        [
            shown(one.name),
            str(one.first),
            str(one.last),
            str(one.frames),
            f"{float(one.fps):.4g}",
            f"{one.seconds * 1000:.0f}",
            one.loop,
        ]
        for one in animation_summaries(crate)
    ]
