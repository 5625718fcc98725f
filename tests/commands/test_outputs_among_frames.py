"""A build may go into the folder of its own frames; names on the way into place are ours."""

from pathlib import Path

import pytest

import agile_crate
from agile_crate.storage.staging import staged
from conftest import tree, unicode_names


def test_a_build_among_its_own_frames_takes_them_all_every_time(
    swim: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    first = agile_crate.pack("frames", "frames/swim/sheet", also_scale="50%", metadata="json,xml,css")
    assert (len(first.crate.frames), dict(first.skipped)) == (13, {})
    before = tree(tmp_path)
    again = agile_crate.pack("frames", "frames/swim/sheet", also_scale="50%", metadata="json,xml,css")
    assert (len(again.crate.frames), again.skipped["output of a build"]) == (13, 8)
    assert tree(tmp_path) == before
    for name in ("sheet.json", "sheet@50.json", "sheet.xml"):
        assert agile_crate.verify(f"frames/swim/{name}", against="frames").ok


@unicode_names
@pytest.mark.parametrize("stem", ["o" * 240, "海" * 80, "é" * 120])
def test_long_names_that_differ_only_at_their_end(tmp_path: Path, stem: str) -> None:
    names = [f"{stem}{number}.png" for number in range(9)]
    with staged(tmp_path) as staging:
        for name in names:
            staging.write(name, [name.encode()])
        assert all(path.name.startswith(".agile-crate-") for path in tmp_path.iterdir())
        staging.commit()
    assert tree(tmp_path) == {name: name.encode() for name in names}
