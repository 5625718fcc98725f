"""``agile-crate verify``: check a crate, and compare its frames with their sources."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from ..core.errors import CrateError
from ..core.limits import Limits
from .parser import Parser, add_common, add_memory, add_only
from .status import Status, status_of
from .streams import print_json
from .tables import print_error, print_warnings
from .wording import as_text

if TYPE_CHECKING:
    from ..commands.accept import Accepted
    from ..commands.verify import Verified
    from ..core.limits import Limits

SHOWN = 10
"""Differences that are printed; --verbose prints all."""


def declare(parser: Parser) -> None:
    group = parser.section("input")
    group.add("data", metavar="DATA", nargs="+", help="a crate's metadata, or a crate file for all of its crates")
    add_only(group, "verify")
    group.add(
        "--against",
        metavar="INPUT",
        nargs="+",
        default=[],
        help="compare with the frames that were packed, or a crate file",
    )
    group.add("--accept", action="store_true", help="first record edited sheets in the metadata")
    group.add("--font", metavar="FILE", default="", help="font file for text in drawings, if it moved")
    add_memory(group)
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from ..commands.verify import verify
    from ..crate_files.read import comparisons
    from .command_context import with_progress, without_progress

    found: list[dict[str, Any]] = []
    errors: list[dict[str, Any]] = []
    with without_progress(arguments) as plain:
        crates = list(comparisons(arguments.data, arguments.against, plain.limits, arguments.font, arguments.only))
        is_alone = [data for data, _ in crates] == arguments.data[:1]
        for data, comparison in crates:
            try:
                if arguments.accept:
                    _accept(data, arguments, plain.limits)
                with with_progress(arguments, plain) as context:
                    verified = verify(data, comparison, context)
            except CrateError as error:
                if is_alone:
                    raise
                sentence, status = as_text(error.message), int(status_of(error))
                errors.append({"data": data, "error": sentence, "exit": status})
                print_error(sentence, status, error.message.files, arguments.json)
                continue
            print_warnings(verified.warnings)
            if not (arguments.json or arguments.quiet):
                _print(data, verified, bool(comparison.inputs), arguments.verbose)
            found.append(_document(data, verified))
    if arguments.json:
        print_json({"command": "verify", **(found[0] if is_alone else {"crates": found, "errors": errors})})
    if errors:
        return int(errors[0]["exit"])
    return Status.DONE if all(result["ok"] for result in found) else Status.FOUND


def _accept(data: str, arguments: argparse.Namespace, limits: Limits) -> None:
    from ..commands.accept import accept

    accepted = accept(data, limits)
    if not (arguments.quiet or arguments.json):
        _print_accepted(accepted)


def _print_accepted(accepted: Accepted) -> None:
    from ..core.text import counted, few, shown

    names, files = few(map(shown, accepted.names)), few(shown(path.name) for path in accepted.files)
    if names:
        are = "it is" if len(accepted.names) == 1 else "they are"
        print(f"accepted {names} as {are} now; edits on {counted(accepted.frames, 'frame')}, recorded in {files}")
    else:
        print("nothing to accept: no file changed since it was written")


def _print(data: str, verified: Verified, is_compared: bool, every: bool) -> None:
    from ..core.text import counted, quoted, shown

    crate = verified.crate
    problems = ", ".join(
        counted(len(items), noun)
        for items, noun in ((crate.sheets, "sheet"), (crate.frames, "frame"), (crate.animations, "animation"))
    )
    if verified.problems:
        print(f"{shown(data)}: {problems}, {counted(len(verified.problems), 'problem')}")
        _print_some(verified.problems, every)
    else:
        print(f"{shown(data)}: {problems}, all checks passed")
    if is_compared:
        edited = f", {verified.edited:,} of them with edits by hand" if verified.edited else ""
        print(f"{matching(verified.same, len(crate.frames))}{edited}")
        for name, same in verified.skins.items():
            print(f"skin {quoted(name)}: {matching(same, len(crate.frames))}")
        if crate.frames and not verified.compared:
            print("  no frame of the crate has a source there; name the frames that were packed with --against")
            return
        _print_some(
            [
                f"{shown(found.frame)}{f', skin {quoted(found.skin)}' if found.skin else ''}: {found.what}"
                for found in verified.differences
            ],
            every,
        )


def matching(same: int, frames: int) -> str:
    """Return a few words on how many frames of a crate match their sources."""
    if same < frames:
        return f"{same:,} of {frames:,} frames match their sources, pixel for pixel"
    return (
        "the frame matches its source, pixel for pixel"
        if frames == 1
        else f"all {frames:,} frames match their sources, pixel for pixel"
    )


def _print_some(sentences: list[str] | tuple[str, ...], every: bool) -> None:
    from ..core.message import Message
    from .tables import print_note

    limit = len(sentences) if every else SHOWN
    for sentence in sentences[:limit]:
        print_note(as_text(Message(sentence)))
    if len(sentences) > limit:
        print_note(f"and {len(sentences) - limit:,} more (--verbose shows all)")


def _document(data: str, verified: Verified) -> dict[str, Any]:
    """Return what ``--json`` prints; docs/programmers/command-line.md describes it."""
    import dataclasses

    from ..core.message import Message

    return {
        "data": data,
        "ok": verified.ok,
        "frames": len(verified.crate.frames),
        "compared": verified.compared,
        "same": verified.same,
        "edited": verified.edited,
        "skins": dict(verified.skins),
        "problems": [as_text(Message(problem)) for problem in verified.problems],
        "differences": [dataclasses.asdict(difference) for difference in verified.differences],
    }
