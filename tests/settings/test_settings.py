import re
from fractions import Fraction

import pytest

from agile_crate.core.errors import UsageError
from agile_crate.core.model.geometry import Size
from agile_crate.core.motion.timing import Hold
from agile_crate.settings.given import remembered, settings_from
from agile_crate.settings.table import Settings, options


def test_defaults_are_the_simplest_thing() -> None:
    settings = settings_from({})
    assert settings == Settings()
    assert (settings.layout, settings.align, settings.gap, settings.max_size) == ("grid", "bottom", 0, (4096, 4096))
    assert settings.fps.each(["swim"]) == {"swim": None}


def test_values_are_read() -> None:
    sizes = {"cell": "64x48", "size": "512×256", "columns": 8, "pow2": True}
    settings = settings_from(sizes | {"fps": ["swim=24", "8", "a=b=0.5"], "loop": "once"})
    assert (settings.cell, settings.size, settings.columns, settings.pow2) == (Size(64, 48), Size(512, 256), 8, True)
    assert settings.fps.each(["swim", "dive", "a=b"]) == {"swim": 24, "dive": 8, "a=b": Fraction(1, 2)}
    assert settings.loop.everyone == "once"


@pytest.mark.parametrize(
    ("given", "sentence"),
    [
        ({"duration": 0.5}, "duration: '0.5' is not a time: write it with its unit"),
        ({"drop_duplicates": "yes"}, "drop_duplicates: 'yes' is not a switch: it is true or false"),
        ({"max_sise": "4"}, "unknown setting 'max_sise'; did you mean max_size?"),
    ],
)
def test_values_of_other_types_are_refused_with_a_sentence(given: dict[str, object], sentence: str) -> None:
    """Messages for wrong values are in tests/cli/sentences.txt."""
    with pytest.raises(UsageError, match="^" + re.escape(sentence)):
        settings_from(given)


def test_what_frames_differ_by_is_remembered_as_it_was_given() -> None:
    settings = settings_from(
        {"layers": "flat", "every": 3, "frames": ["swim=1-8", "2-"], "drop_duplicates": True, "reverse": False}
    )
    assert remembered(settings) == {
        "layers": "flat",
        "every": ["3"],
        "frames": ["swim=1-8", "2-"],
        "drop_duplicates": True,
    }
    assert settings_from(remembered(settings)).frames == settings.frames


def test_ranges_holds_and_parts_are_read() -> None:
    split = ["gull=glide:1-20,land:21-44,47,hop:45-46"]
    settings = settings_from({"frames": "1,3,6-9,12-", "hold": ["swim:3=2", "a:b:1=0.2s"], "split": split})
    assert [str(span) for span in settings.frames.everyone] == ["1", "3", "6-9", "12-"]
    assert settings.hold == (("swim", 3, Hold(Fraction(2))), ("a:b", 1, Hold(milliseconds=Fraction(200))))
    ((name, parts),) = settings.split
    assert name == "gull"
    assert {part: [str(s) for s in spans] for part, spans in parts.items()} == {
        "glide": ["1-20"], "land": ["21-44", "47"], "hop": ["45-46"],
    }  # fmt: skip


def test_every_setting_has_a_help_line_and_a_section() -> None:
    for option, _ in options().values():
        assert option.help
        assert option.section in ("take", "prepare", "arrange", "write")
