"""Skins of a crate: the same frames in other art, on sheets of the same arrangement."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..color import Color


@dataclass(frozen=True, slots=True)
class Skin:
    """What a skin is made of: `layers` are the inputs of each layer, the lowest first, and none where the base's own
    frames are taken; `exchange` are colours and what stands in their place.

    `plain`: it is no art, and no step that changes colours touches it. `may_miss`: a frame that it does not have is the
    base's, and one that a higher layer does not have is laid nowhere; else that is an error.
    """

    name: str
    layers: tuple[tuple[str, ...], ...] = ()
    exchange: tuple[tuple[Color, Color], ...] = ()
    plain: bool = False
    may_miss: bool = False

    @property
    def told(self) -> tuple[object, ...]:
        """All of it but the paths: what a build depends on beside the files."""
        colors = [f"{old.hex}={new.hex}" for old, new in self.exchange]
        return self.name, len(self.layers), colors, self.plain, self.may_miss


def with_layers(skins: Sequence[Skin], layers: Sequence[Sequence[str]]) -> tuple[Skin, ...]:
    """The skins with other paths to the same layers, which are given for all of them in one row."""
    rest = iter(layers)
    return tuple(replace(skin, layers=tuple(tuple(next(rest)) for _ in skin.layers)) for skin in skins)
