"""The tight layout: which frames share a box, which sheet each animation goes to, and where everything lies."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from itertools import accumulate

from ..errors import FitError
from ..message import Message, message
from ..model.crate import Crate
from ..model.geometry import Mirror, Size
from ..model.picture import Sequences
from ..text import counted, quoted
from .arrangement import Arrangement, SheetPlan, Spot
from .fit import considered_for, refuse_larger_than_sheet, too_much
from .layout import Arranged, LayoutRequest
from .pinned import PinnedBox, arrange_pinned
from .share import between, shared
from .sheet_size import SheetLimits
from .sheets import BoxGroup, Filling, arrange_on_sheets
from .tight import Place, arrange, bound


def arranged_tightly(request: LayoutRequest) -> Arranged:
    """Arrange frames on tight sheets, and store equal ones once. With `keep_places`, frames that the previous crate has
    in the same size keep their places. Raises FitError."""
    sequences, pictures, options = request.sequences, request.pictures, request.options
    limits = options.limits
    refuse_larger_than_sheet(pictures, limits)
    owners: list[tuple[int, Mirror]] = [(index, "") for index in range(len(pictures))]
    if not options.store_duplicates:
        owners = shared(pictures, options.share_mirrored, request.skins)
    sizes = [picture.stored_box.size for picture in pictures]
    # A game loads an animation by its sheet, so its boxes stay together; stills are loaded one by one. Frames of which
    # nothing is stored have no box.
    groups: list[BoxGroup] = []
    first = 0
    for sequence in sequences:
        indices = range(first, first + len(sequence.frames))
        first = indices.stop
        owned = dict.fromkeys(owners[index][0] for index in indices if min(sizes[owners[index][0]]) > 0)
        groups.append(BoxGroup(tuple(owned), loose=sequence.name is None or options.break_animations))
    numbers = [number for number, group in enumerate(groups) if group.boxes]
    filled = [groups[number] for number in numbers]
    remarks: list[Message] = []
    if options.keep_places and request.previous:
        names = _names(sequences, numbers)
        fillings, remarks = _staying(
            sizes, filled, _stays(request.previous, filled, names, owners, sizes), request.previous, limits
        )
    else:
        fillings = list(_on_sheets(tuple(sizes), tuple(filled), limits))
        remarks += _parting_remarks([sequences[number].name for number in numbers], filled, sizes, fillings, limits)
    # A box in two groups is stored once a sheet: the bound counts it once, so sheets may be larger than it says.
    stored = [sizes[box] for box in sorted({box for group in groups for box in group.boxes})]
    if options.one_sheet and len(fillings) > 1:
        quick = replace(limits, effort="quick", aspect=None)
        raise FitError(too_much(stored, limits, lambda scaled: arrange(scaled, quick) is not None))
    if not fillings:
        empty = arrange([], limits)
        assert empty is not None, "nothing always fits"
        fillings = [Filling((), empty, frozenset())]
    spots = _spots(sequences, groups, owners, fillings)
    plans = tuple(
        SheetPlan(filling.arranged.size, None, limits.margin, limits.gap, options.edge_repeat) for filling in fillings
    )
    considered = tuple(
        tried for index, filling in enumerate(fillings) for tried in considered_for(index, filling, sizes, limits.gap)
    )
    proven = all(filling.arranged.proven for filling in fillings)
    arrangement = Arrangement(plans, tuple(spots), considered, bound(stored, limits.gap), proven)
    return Arranged(arrangement, (*_sharing_remarks(owners, sizes), *remarks))


@lru_cache(maxsize=16)
def _on_sheets(sizes: tuple[Size, ...], groups: tuple[BoxGroup, ...], limits: SheetLimits) -> tuple[Filling, ...]:
    """Arrange boxes on sheets. The result is cached for runs that build a crate again, because most changes are of
    pixels only."""
    return tuple(arrange_on_sheets(sizes, groups, limits))


def _names(sequences: Sequences, numbers: Sequence[int]) -> list[list[tuple[int, str]]]:
    """Yield the index and name of each frame of these sequences."""
    firsts = list(accumulate((len(sequence.frames) for sequence in sequences), initial=0))
    return [[(firsts[n] + at, frame.name) for at, frame in enumerate(sequences[n].frames)] for n in numbers]


def _stays(
    before: Crate,
    groups: Sequence[BoxGroup],
    names: Sequence[Sequence[tuple[int, str]]],
    owners: Sequence[tuple[int, Mirror]],
    sizes: Sequence[Size],
) -> dict[tuple[int, int], PinnedBox]:
    """Return where each group's boxes were: those that one of its frames had, and that still have their size."""
    by_name = {frame.name: frame for frame in before.frames}
    stays: dict[tuple[int, int], PinnedBox] = {}
    for g, group in enumerate(groups):
        own = set(group.boxes)
        for index, name in names[g]:
            box, frame = owners[index][0], by_name.get(name)
            if box in own and frame and frame.upright == sizes[box]:
                stays.setdefault((g, box), PinnedBox(frame.on_sheet, Place(frame.box.x, frame.box.y, frame.turned)))
    return stays


def _staying(
    sizes: Sequence[Size],
    groups: Sequence[BoxGroup],
    stays: Mapping[tuple[int, int], PinnedBox],
    before: Crate,
    limits: SheetLimits,
) -> tuple[list[Filling], list[Message]]:
    stayed = arrange_pinned(sizes, groups, stays, [sheet.size for sheet in before.sheets], limits)
    fresh = arrange_on_sheets(sizes, groups, replace(limits, effort="quick"))
    pixels, afresh = (sum(f.arranged.size.w * f.arranged.size.h for f in some) for some in (stayed.fillings, fresh))
    covered = sum(bound([sizes[box] for box in filling.boxes], 0) for filling in stayed.fillings)
    boxes = sum(len(filling.boxes) for filling in stayed.fillings)
    advice = message("; leave {keep_places} out once to arrange them afresh") if afresh * LOSS < pixels else ""
    remark = message(
        "{:,} of {} where they were: {:.0%} full, {:.0%} in a fresh arrangement{}",
        stayed.kept,
        counted(boxes, "box", "boxes"),
        covered / max(1, pixels),
        covered / max(1, afresh),
        advice,
    )
    return stayed.fillings, [remark]


LOSS = 1.1
"""Sheets that are so many times as large as those of a fresh arrangement are advised against."""


def _spots(
    sequences: Sequences, groups: Sequence[BoxGroup], owners: Sequence[tuple[int, Mirror]], fillings: Sequence[Filling]
) -> list[Spot]:
    """Give every frame the place of its animation's box. Of frames that share a box, the first is drawn as it is; the
    others are its copies or mirror images."""
    numbers = [number for number, group in enumerate(groups) if group.boxes]
    sheet_of = {(numbers[g], box): index for index, filling in enumerate(fillings) for g, box in filling.members}
    places = [dict(zip(filling.boxes, filling.arranged.places, strict=True)) for filling in fillings]
    spots: list[Spot] = []
    drawn: dict[tuple[int, int], Mirror] = {}
    for number, sequence in enumerate(sequences):
        at_home = next((sheet_of[number, box] for box in groups[number].boxes), 0)
        for _ in sequence.frames:
            owner, mirror = owners[len(spots)]
            on_sheet = sheet_of.get((number, owner))
            if on_sheet is None:  # nothing of it is stored
                spots.append(Spot(at_home, 0, 0, drawn=False))
                continue
            place = places[on_sheet][owner]
            is_first = (on_sheet, owner) not in drawn
            as_drawn = drawn.setdefault((on_sheet, owner), mirror)
            spots.append(Spot(on_sheet, *place, between(as_drawn, mirror), drawn=is_first))
    return spots


def _sharing_remarks(owners: Sequence[tuple[int, Mirror]], sizes: Sequence[Size]) -> Iterator[Message]:
    copies = [index for index, (owner, _) in enumerate(owners) if owner != index and min(sizes[index]) > 0]
    mirrored = [index for index in copies if owners[index][1]]
    if copies:
        saved = sum(sizes[index].w * sizes[index].h for index in copies)
        how = f", {len(mirrored):,} of them mirrored" if mirrored else ""
        what = f"{counted(len(copies), 'duplicate')} not stored again{how}: saves {counted(saved, 'pixel')}"
        yield message("{} ({store_duplicates} stores all)", what)


def _parting_remarks(
    names: Sequence[str | None],
    groups: Sequence[BoxGroup],
    sizes: Sequence[Size],
    fillings: Sequence[Filling],
    limits: SheetLimits,
) -> Iterator[Message]:
    """Yield a remark if a sheet is not full because an animation stays together: its name, and the room that parting it
    wins."""
    room = limits.inside.w * limits.inside.h
    for number, filling in enumerate(fillings[:-1]):
        full = bound([sizes[box] for box in filling.boxes], limits.gap) / room
        here = {g for g, _ in filling.members}
        later = {g for other in fillings[number + 1 :] for g, _ in other.members if not groups[g].loose} - here
        if full >= WELL_FILLED or not later:
            continue
        parted = arrange_on_sheets(
            sizes, [replace(group, loose=True) for group in groups], replace(limits, effort="quick")
        )
        pixels, fewer = (sum(f.arranged.size.w * f.arranged.size.h for f in some) for some in (fillings, parted))
        if len(parted) < len(fillings) or fewer < WORTH * pixels:
            largest = min(later, key=lambda g: (len(groups[g].boxes), g))
            saved = f"{counted(len(parted), 'sheet')} instead of {len(fillings)}" if len(parted) < len(fillings) else ""
            saved += f"{', ' if saved else ''}{1 - fewer / pixels:.0%} fewer pixels" if fewer < pixels else ""
            yield message(
                "sheet {} is {:.0%} full, because animations such as {} stay on one sheet each; parting them "
                "would need {} ({break_animations})",
                number + 1,
                full,
                quoted(names[largest] or ""),
                saved,
            )
        return


WELL_FILLED = 0.93
"""A sheet that is filled to this share is not worth a word."""

WORTH = 0.98
"""Parting animations is worth a word if it leaves no more than this share of the pixels."""
