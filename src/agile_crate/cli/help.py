"""``agile-crate help``: a page on a topic, and how to switch on completion in the shell."""

from __future__ import annotations

import argparse
import sys

from .parser import Parser, add_common
from .status import Status
from .streams import print_json

TOPICS = {
    "layout": "choosing a layout",
    "timing": "speed, holds and loops",
    "pivots": "the point that stays fixed",
    "pixel-art": "small art with hard edges",
    "rendered": "smoke, splashes, fire",
    "completion": "completing names and options with the tab key",
}


def declare(parser: Parser) -> None:
    group = parser.section("topic")
    group.add("topic", metavar="TOPIC", nargs="?", choices=tuple(TOPICS), help=", ".join(TOPICS))
    add_common(parser)


def run(arguments: argparse.Namespace) -> int:
    from importlib import resources

    topic = arguments.topic
    if topic is None:
        text = "".join(f"  agile-crate help {name:12} {title}\n" for name, title in TOPICS.items())
    else:
        text = (resources.files(__package__) / "help_texts" / "topics" / f"{topic}.txt").read_text("utf-8")
    if arguments.json:
        print_json({"command": "help", "topic": topic, "text": text})
    elif not arguments.quiet:
        sys.stdout.write(text)
    return Status.DONE
