"""A build whose metadata is gone, damaged, or in conflict after a merge; and one whose files have other names today."""

import subprocess
from pathlib import Path

import pytest

import agile_crate
from agile_crate.core.limits import USUAL
from agile_crate.format.files import sides_of
from agile_crate.format.png_seal import Seal, seal_of
from conftest import Run, art, decode, metadata, refusal, save, tool, tree

CRATE = '[crate.o]\nfrom = "frames"\nout = "o"\nlayout = "tight"\nkeep-places = true\nmetadata = ["json", "xml", "css"]\nalso-scale = ["50%"]\n'


@pytest.fixture
def crate(swim: Path, tmp_path: Path) -> Path:
    (tmp_path / "o.crate.toml").write_text(CRATE, "utf-8")
    return tmp_path / "o.crate.toml"


def paint(sheet: Path) -> None:
    pixels = decode(sheet).copy()
    pixels[3, 4] = (250, 10, 240, 255)
    save(sheet, pixels)


@pytest.mark.parametrize("more", [[], ["--columns", "3"], ["--force"]], ids=str)
def test_a_build_is_known_by_its_metadata_whatever_its_files_are_called(
    run: Run, swim: Path, tmp_path: Path, more: list[str]
) -> None:
    pack = ["pack", "frames", "--out", "o", "--file-name", "{name}_{frames}"]
    assert run(*pack).returncode == 0
    paint(tmp_path / "o_13.png")
    painted = decode(tmp_path / "o_13.png")
    done = run(*pack, *more)
    if "--force" not in more:
        assert done.returncode == 5
        assert done.stderr.startswith("agile-crate: error: o_13.png was changed since the last build, perhaps by hand")
    save(swim / "swim" / "swim_14.png", art(8, 8, 14))
    if "--force" in more:
        paint(tmp_path / "o_13.png")
        done = run(*pack, *more)
        assert (done.returncode, done.stderr) == (
            0,
            "agile-crate: warning: left in place: o_13.png, which was changed since the last build\n",
        )
        assert (tmp_path / "o_13.png").exists()
        return
    assert run(*pack, *more).returncode == 5
    done = run(*pack, *more, "--keep-edits")
    assert (done.returncode, done.stderr) == (0, "")
    assert not (tmp_path / "o_13.png").exists()  # all that was painted there is on the new sheet
    crate = agile_crate.load(tmp_path / "o.json")
    assert (crate.frame("swim/swim_01") == painted[:8, :8]).all()


@pytest.mark.parametrize("how", ["crate file", "command line"])
@pytest.mark.parametrize(
    "lost", [["o.json"], ["o@50.json", "o@50.xml"], ["o.json", "o.xml", "o@50.json", "o@50.xml"]], ids=str
)
def test_metadata_that_was_deleted_is_written_again(
    run: Run, crate: Path, tmp_path: Path, how: str, lost: list[str]
) -> None:
    pack = ["pack", "o.crate.toml"]
    if how == "command line":  # without the cache, so without a style sheet, which proves nothing by itself
        pack = ["pack", "frames", "--out", "o", "--metadata", "json,xml", "--also-scale", "50%"]
    assert run(*pack).returncode == 0
    files = tree(tmp_path)
    for name in lost:
        (tmp_path / name).unlink()
    done = run(*pack)
    gone = [stem for stem in ("o", "o@50") if how == "crate file" and {f"{stem}.json", f"{stem}.xml"} <= {*lost}]
    warning = "agile-crate: warning: --keep-places: {}.json is missing, so any frame may have moved\n"
    assert (done.returncode, done.stderr) == (0, "".join(map(warning.format, gone)))
    assert tree(tmp_path) == files
    for name in lost:
        (tmp_path / name).unlink()
    sheet = tmp_path / ("o@50.png" if "o@50.json" in lost else "o.png")
    paint(sheet)
    done = run(*pack)
    assert (done.returncode, sheet.name in done.stderr) == (5, True)


def test_a_seal_proves_whose_sheet_it_is_and_that_nobody_changed_it(run: Run, swim: Path, tmp_path: Path) -> None:
    for more in ([], ["--optimize"], ["--colors", "16", "--hard-alpha", "128"], ["--background", "#20406f"]):
        assert run("pack", "frames", "--out", "o", "--force", *more).returncode == 0
        data = (tmp_path / "o.png").read_bytes()
        assert subprocess.run([tool("pngcheck"), "-q", tmp_path / "o.png"], check=False).returncode == 0
        assert seal_of(tmp_path / "o.png", USUAL) == Seal("o")
        for changed in (
            data[:60] + bytes([data[60] ^ 1]) + data[61:],
            data.replace(b"\0\0o\n", b"\0\0p\n"),
            data[:-12],
            data + b"x",
            b"",
            data[-200:],
        ):
            (tmp_path / "changed.png").write_bytes(changed)
            assert seal_of(tmp_path / "changed.png", USUAL) is None
    (tmp_path / "o.json").unlink()
    (tmp_path / "gull.png").write_bytes(data)
    done = run("pack", "frames", "--out", "gull")
    assert done.returncode == 5
    assert "gull.png already exists and is not from a build of this name" in done.stderr


def test_a_copy_of_a_sheet_is_never_removed(run: Run, swim: Path, tmp_path: Path) -> None:
    assert run("pack", "frames", "--out", "o").returncode == 0
    (tmp_path / "o-yesterday.png").write_bytes((tmp_path / "o.png").read_bytes())
    (tmp_path / "o.json").unlink()
    assert run("pack", "frames", "--out", "o").returncode == 0
    assert (tmp_path / "o-yesterday.png").exists()


def merge(folder: Path, *names: str) -> None:
    """Write text files as git does after a conflict of two branches; pictures stay as they were checked out."""
    for name in names:
        sides = [folder / "ours" / name, folder / "base" / name, folder / "theirs" / name]
        done = subprocess.run(["git", "merge-file", "-p", *sides], capture_output=True, check=False)
        assert done.returncode > 0
        (folder / name).write_bytes(done.stdout)


def branches(run: Run, swim: Path, tmp_path: Path, animations: tuple[str, str] = ("dive", "dive")) -> None:
    """Two branches build the crate, each with another new frame; then a merge joins frames, and not the build."""
    theirs = f"{animations[0]}/theirs_1.png"
    outputs = ("o.json", "o.xml", "o.css", "o@50.json", "o@50.xml", "o.png", "o@50.png")
    for branch, seed in (("base", 0), ("theirs", 20), ("ours", 30)):
        if seed:
            save(swim / animations[branch == "ours"] / f"{branch}_1.png", art(seed // 2, 9, seed))
        assert run("pack", "o.crate.toml", "--force").returncode == 0
        (tmp_path / branch).mkdir()
        for name in outputs:
            (tmp_path / branch / name).write_bytes((tmp_path / name).read_bytes())
        if branch == "theirs":
            (swim / theirs).rename(tmp_path / "theirs_1.png")
            for name in outputs:
                (tmp_path / name).write_bytes((tmp_path / "base" / name).read_bytes())
    (tmp_path / "theirs_1.png").rename(swim / theirs)
    merge(tmp_path, "o.json", "o.xml", "o.css", "o@50.json", "o@50.xml")


def test_a_build_in_conflict_is_written_anew_and_frames_stay(run: Run, crate: Path, swim: Path, tmp_path: Path) -> None:
    branches(run, swim, tmp_path)
    for command in (["verify", "o.json"], ["show", "o.json", "--out", "o.html"]):
        done = run(*command)
        assert refusal(done) == (
            3,
            "o.json holds conflict markers from a merge; pack its crate again, which writes it anew",
        )
    done = run("pack", "o.crate.toml")
    assert done.returncode == 0, done.stderr
    lines = done.stderr.splitlines()
    assert lines[0] == (
        "agile-crate: warning: o.json, o.xml, o@50.json and o@50.xml hold conflict markers from a merge; they are written anew"
    )
    ours = {frame["name"]: frame["box"] for frame in metadata(tmp_path / "ours" / "o.json")["frames"]}
    now = {frame["name"]: frame["box"] for frame in metadata(tmp_path / "o.json")["frames"]}
    assert all(now[name] == box for name, box in ours.items())
    theirs = {frame["name"]: frame["box"] for frame in metadata(tmp_path / "theirs" / "o.json")["frames"]}
    moved = [name for name in now if name in theirs and now[name][:2] != theirs[name][:2]]
    assert [line for line in lines[1:] if "@" not in line] == [
        f"agile-crate: warning: o: frames that moved since the last build of either branch: {', '.join(moved)}"
    ]
    assert run("verify", "o.json", "--against", "o.crate.toml").returncode == 0


def test_where_a_merge_joined_lines_of_both_sides_only_frames_on_the_sheet_stay(
    run: Run, crate: Path, swim: Path, tmp_path: Path
) -> None:
    """Frames of new animations stand apart in the list, so that a merge joins them without a word."""
    branches(run, swim, tmp_path, ("airs", "walk"))
    lines = (tmp_path / "o.json").read_text("utf-8").splitlines()
    assert sum(line.startswith(('    {"name": "airs/theirs_1"', '    {"name": "walk/ours_1"')) for line in lines) == 2
    done = run("pack", "o.crate.toml", "--keep-edits")
    assert (done.returncode, "so edits on its sheets cannot be found" in done.stderr) == (3, True)
    done = run("pack", "o.crate.toml")
    assert (
        done.returncode,
        "o: frames that moved since the last build of either branch: airs/theirs_1" in done.stderr,
    ) == (0, True)
    ours = {frame["name"]: frame["box"] for frame in metadata(tmp_path / "ours" / "o.json")["frames"]}
    now = {frame["name"]: frame["box"] for frame in metadata(tmp_path / "o.json")["frames"]}
    assert all(now[name] == box for name, box in ours.items())
    assert run("verify", "o.crate.toml").returncode == 0


def test_paint_on_a_sheet_is_safe_in_a_conflict_too(run: Run, crate: Path, swim: Path, tmp_path: Path) -> None:
    branches(run, swim, tmp_path)
    paint(tmp_path / "o.png")
    before = tree(tmp_path)
    done = run("pack", "o.crate.toml")
    assert (done.returncode, "o.png was changed since the last build" in done.stderr) == (5, True)
    assert tree(tmp_path) == before
    done = run("pack", "o.crate.toml", "--keep-edits")
    assert done.returncode == 0, done.stderr
    assert sum(one.get("edited", False) for one in metadata(tmp_path / "o.json")["frames"]) == 1
    assert run("verify", "o.json", "--against", "o.crate.toml").returncode == 0


def test_damaged_metadata_is_named(run: Run, crate: Path, tmp_path: Path) -> None:
    assert run("pack", "o.crate.toml").returncode == 0
    text = (tmp_path / "o.json").read_text("utf-8")
    for name in ("o.xml", "o.css"):
        (tmp_path / name).unlink()
    (tmp_path / "o.json").write_text(text[:-40], "utf-8")
    done = run("pack", "o.crate.toml")
    assert refusal(done) == (
        5,
        "o.crate.toml, crate 'o': o.json is damaged, so the last build is not known; restore it, delete it, or overwrite it with --force",
    ), done.stderr
    done = run("pack", "o.crate.toml", "--force")
    assert (done.returncode, done.stderr) == (
        0,
        "agile-crate: warning: keep_places: o.json could not be read, so any frame may have moved\n".replace(
            "keep_places", "--keep-places"
        ),
    )


@pytest.mark.parametrize(
    ("text", "sides"),
    [
        (b"a\n<<<<<<< HEAD\nb\n=======\nc\n>>>>>>> x\nd\n", (b"a\nb\nd\n", b"a\nc\nd\n")),
        (b"<<<<<<< HEAD\r\nb\r\n||||||| base\r\no\r\n=======\r\n>>>>>>> x\r\n", (b"b\r\n", b"")),
        (b"a\n=======\nb\n", ()), (b"<<<<<<< HEAD\nb\n=======\nc\n", ()), (b"", ()), (b">>>>>>> x\n", ()),
    ],
)  # fmt: skip
def test_the_sides_of_a_conflict(text: bytes, sides: tuple[bytes, ...]) -> None:
    assert sides_of(text) == sides


@pytest.mark.parametrize("how", ["crate file", "command line"])
@pytest.mark.parametrize("image", ["png", "webp"])
def test_kept_edits_are_not_lost_with_the_metadata(run: Run, swim: Path, tmp_path: Path, how: str, image: str) -> None:
    """The sheet was written by a build, and still it holds work by hand."""
    (tmp_path / "o.crate.toml").write_text(f'[crate.o]\nfrom = "frames"\nout = "o"\nimage = "{image}"\n', "utf-8")
    pack = ["pack", "o.crate.toml"] if how == "crate file" else ["pack", "frames", "--out", "o", "--image", image]
    assert run(*pack).returncode == 0
    pixels = decode(tmp_path / f"o.{image}").copy()
    pixels[3, 4] = (250, 10, 240, 255)
    save(tmp_path / f"o.{image}", pixels, **({"lossless": True, "exact": True} if image == "webp" else {}))
    assert run(*pack, "--keep-edits").returncode == 0
    (tmp_path / "o.json").unlink()
    before = tree(tmp_path)
    for more in ([], ["--keep-edits"]):
        done = run(*pack, *more)
        assert done.returncode == 5
        told = (
            "o.png holds edits by hand, but the metadata that could keep them is gone"
            if image == "png"
            else "o.webp already exists"
        )
        assert told in done.stderr
        assert {name: data for name, data in tree(tmp_path).items() if not name.startswith("cache")} == before
    assert run(*pack, "--force").returncode == 0
