from fractions import Fraction

import pytest

from agile_crate.cli.wording import as_option
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
    settings = settings_from(
        {
            "cell": "64x48",
            "size": "512×256",
            "columns": 8,
            "pow2": True,
            "fps": ["swim=24", "8", "a=b=0.5"],
            "loop": "once",
        }
    )
    assert (settings.cell, settings.size, settings.columns, settings.pow2) == (Size(64, 48), Size(512, 256), 8, True)
    assert settings.fps.each(["swim", "dive", "a=b"]) == {"swim": 24, "dive": 8, "a=b": Fraction(1, 2)}
    assert settings.loop.everyone == "once"


@pytest.mark.parametrize(
    ("given", "sentence"),
    [
        ({"columns": "0"}, "--columns: '0' is not a whole number from 1 to 16384"),
        ({"rows": "-3"}, "--rows: '-3' is not a whole number"),
        ({"gap": "1.5"}, "--gap: '1.5' is not a whole number from 0 to 16384"),
        ({"multiple": "٣"}, "--multiple: '٣' is not a whole number"),
        ({"margin": "99999999999999999999"}, "is not a whole number from 0 to 16384"),
        (
            {"cell": "64x"},
            "--cell: '64x' is not a size: write width x height in pixels, such as 64x48, or 64 for a square",
        ),
        ({"max_size": "0x64"}, "--max-size: '0x64' is not a size"),
        ({"size": "1x2x3"}, "--size: '1x2x3' is not a size"),
        ({"fps": ["swim=0"]}, "--fps: '0' is not a number of frames a second"),
        ({"fps": ["1e9"]}, "--fps: '1e9' is not a number"),
        ({"fps": ["5/0"]}, "--fps: '5/0' is not a number"),
        ({"loop": ["bounce"]}, "--loop: 'bounce' is not one of forever, once, back-and-forth"),
        ({"align": "middle"}, "--align: 'middle' is not one of top-left, top,"),
        ({"layout": "strip", "columns": "4"}, "--layout strip is one row by itself; leave --columns out"),
        ({"pow2": True, "multiple": "12"}, "--pow2 and --multiple 12 contradict each other"),
        ({"size": "100x64", "pow2": True}, "--size 100×64 and --pow2 contradict each other"),
        ({"size": "100x64", "square": True}, "--size 100×64 and --square contradict each other"),
        ({"size": "100x64", "multiple": "16"}, "--size 100×64 and --multiple 16 contradict each other"),
        (
            {"frames": ["swim=-3"]},
            "--frames: '-3' is not a range of frames: write it such as 5-30, 5-last or 1-3 for the first 3, or last for",
        ),
        ({"frames": ["-"]}, "--frames: '-' is not a range of frames"),
        ({"duration": "0ms"}, "--duration: '0ms' is not a time: write it with its unit, such as 800ms or 0.8s"),
        ({"duration": "4"}, "--duration: '4' is not a time: write it with its unit, such as 800ms or 0.8s; 1ms is the"),
        ({"duration": 0.5}, "--duration: '0.5' is not a time: write it with its unit"),
        ({"drop_copies": "yes"}, "--drop-copies: 'yes' is not a switch: it is true or false"),
        ({"max_sise": "4"}, "there is no setting 'max_sise'; did you mean --max-size?"),
        ({"hold": ["swim=2"]}, "--hold: 'swim=2' does not say which frame is held how long"),
        ({"hold": ["swim:0=2"]}, "--hold: 'swim:0=2' does not say which"),
        ({"scale": "50"}, "--scale: '50' may be 50% or 50x; write which one is meant"),
        ({"fit_to": "art"}, "--fit-to says what is to fit; say into which size with --fit"),
        ({"rename": ["swim="]}, "--rename: 'swim=' is not a pair of names"),
        ({"split": ["gull=1-3"]}, "--split: 'gull=1-3' does not say what is split how"),
        ({"order": "a,,b"}, "--order: 'a,,b' is not a list of names"),
        ({"colums": "4"}, "there is no setting 'colums'"),
    ],
)
def test_bad_values_are_refused_with_a_sentence(given: dict[str, object], sentence: str) -> None:
    with pytest.raises(UsageError) as caught:
        settings_from(given)
    assert sentence in caught.value.sentence.spelled(as_option)


def test_what_frames_differ_by_is_remembered_as_it_was_given() -> None:
    settings = settings_from(
        {"layers": "flat", "every": 3, "frames": ["swim=1-8", "2-"], "drop_copies": True, "reverse": False}
    )
    assert remembered(settings) == {"layers": "flat", "every": ["3"], "frames": ["swim=1-8", "2-"], "drop_copies": True}
    assert settings_from(remembered(settings)).frames == settings.frames


def test_ranges_holds_and_parts_are_read() -> None:
    settings = settings_from(
        {
            "frames": "1,3,6-9,12-",
            "hold": ["swim:3=2", "a:b:1=0.2s"],
            "split": ["gull=glide:1-20,land:21-44,47,hop:45-46"],
        }
    )
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
