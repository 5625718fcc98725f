"""A crate in one of its skins: the same frames on other images."""

from __future__ import annotations

from ..model.crate import Crate


def skins_of(crate: Crate) -> list[str]:
    """The names of a crate's skins, in order. Every sheet has the same."""
    return [skin.name for skin in crate.sheets[0].skins] if crate.sheets else []


def with_skin(crate: Crate, name: str) -> Crate:
    """Return the crate with a skin's sheets in place of its own. Facts about the base's pixels (digests, edits) do not
    hold for it. A plain skin has straight alpha and no background. KeyError for an unknown skin."""
    sheets = []
    is_plain = False
    for sheet in crate.sheets:
        skin = {image.name: image for image in sheet.skins}[name]
        is_plain = skin.plain
        sheets.append(sheet._replace(image=skin.image, sha256=skin.sha256, skins=()))
    frames = tuple(frame._replace(crc="", edited=False) for frame in crate.frames)
    if is_plain:
        crate = crate._replace(alpha="straight", background="")
    return crate._replace(sheets=tuple(sheets), frames=frames)
