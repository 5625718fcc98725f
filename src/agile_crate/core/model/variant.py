"""Variants of a crate: the base art, and the same frames in other art."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from ..color import Color
from .geometry import Box
from .picture import Picture

if TYPE_CHECKING:
    from ..pixels import Words


class Untrimmed(NamedTuple):
    """A picture before trimming, and the part of its canvas that trimming keeps."""

    picture: Picture
    kept: Box


class Variant(NamedTuple):
    """One art of a crate's frames: variant 0 of a build is the base, the others are its skins.

    name       empty for the base
    layers     the inputs of each layer, the lowest first; a skin without layers takes the base's frames
    exchange   colors, each with the one that replaces it
    is_plain   no art, such as normals: no step that changes colors touches it
    may_miss   a frame that a skin lacks is the base's, and a higher layer may lack it; otherwise that is an error
    pictures   of every frame at one size, in crate order, once frames are loaded
    untrimmed  the same before trimming, if a proof asks for it
    palette    the colors of an indexed image, if it is to be one
    """

    name: str = ""
    layers: tuple[tuple[str, ...], ...] = ()
    exchange: tuple[tuple[Color, Color], ...] = ()
    is_plain: bool = False
    may_miss: bool = False
    pictures: Sequence[Picture] = ()
    untrimmed: tuple[Untrimmed, ...] = ()
    palette: Words | None = None

    @property
    def recorded(self) -> tuple[object, ...]:
        """Return what a build depends on besides the files: all but the paths and the pictures."""
        colors = [f"{old.hex}={new.hex}" for old, new in self.exchange]
        return self.name, len(self.layers), colors, self.is_plain, self.may_miss


Variants = tuple[Variant, ...]


def base_of(inputs: Sequence[str]) -> Variants:
    """Return the variants of a build without skins."""
    return (Variant(layers=(tuple(inputs),)),)


def all_layers(variants: Variants) -> list[tuple[str, ...]]:
    """Return the inputs of every layer, in one list."""
    return [layer for variant in variants for layer in variant.layers]


def with_layers(variants: Variants, layers: Sequence[Sequence[str]]) -> Variants:
    """Return the variants with other paths for the same layers, listed as `all_layers` does."""
    rest = iter(layers)
    return tuple(variant._replace(layers=tuple(tuple(next(rest)) for _ in variant.layers)) for variant in variants)
