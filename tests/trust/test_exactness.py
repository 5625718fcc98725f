"""Every two ways of packing meet, and every frame comes back to the pixel: by a reader that shares no code with the
program, from JSON and from XML, compared with what the sources make by plain arithmetic."""

import json
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import pytest

import independent_reader
from conftest import Run, art, check_metadata, save
from trust.pairs import Case, pairs_of, pairwise

CHOICES = {
    "layout": ["grid", "strip", "rows", "blocks", "tight"], "trim": ["off", "frame", "animation", "sheet"],
    "turn": ["", "turn"], "cushion": ["0", "2"], "edge": ["0", "1"], "scale": ["100%", "50%", "2x"],
    "palette": ["", "colors=6"], "alpha": ["straight", "premultiplied", "background"], "sheets": ["one", "several"],
    "mirrored": ["", "copy", "shared"], "skins": ["", "rain"], "image": ["png", "webp"], "gap": ["0", "3"],
    "canvas": ["own", "common"], "outline": ["", "line"], "shape": ["", "contour"],
    "region": ["", "16x12+2+2"],
}  # fmt: skip


def is_allowed(case: Mapping[str, str]) -> bool:
    """True for settings that do not contradict each other; see settings/rules.py for the messages."""
    tight = case.get("layout", "tight") == "tight"
    return (tight or (case.get("turn", "") != "turn" and case.get("mirrored") != "shared")) and not (
        case.get("cushion") == "2" and case.get("trim") == "off"
    )


CASES = pairwise(CHOICES, is_allowed)

BACKGROUND = (32, 64, 111)


def test_every_pair_is_there_and_no_contradiction() -> None:
    there = set().union(*map(pairs_of, CASES))
    assert all(map(is_allowed, CASES))
    for one, ones in CHOICES.items():
        for other, others in CHOICES.items():
            for pair in {((one, a), (other, b)) for a in ones for b in others if one < other}:
                assert (pair in there) == is_allowed(dict(pair)), pair
    assert len(CASES) < 40


def figure(number: int, coat: int) -> np.ndarray:
    """A soft figure that moves, with an empty rim."""
    pixels = art(18, 14, number + coat)
    y, x = np.mgrid[:14, :18]
    pixels[((x - 7 - number) / 5) ** 2 + ((y - 7) / 4) ** 2 > 1] = 0
    pixels[4, 7 + number] = (250, 20, 30, 7)
    return pixels


def frames(coat: int) -> dict[str, np.ndarray]:
    """Animations of several frames, an empty one, twins, a mirror image, a still, and a name with blanks; even sides."""
    swim = {f"swim/swim_{n}": figure(n, coat) for n in range(4)}
    poses = figure(1, coat), np.zeros((14, 18, 4), np.uint8), figure(2, coat)[:, ::-1]
    dive = {f"dive/dive_{n}": pose for n, pose in enumerate(poses, 1)}
    return swim | dive | {"old otter": art(10, 22, 5 + coat), "parcel": art(6, 4, coat)}


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    top = tmp_path_factory.mktemp("drawn")
    for folder, coat in (("otter", 0), ("rain", 40)):
        for name, pixels in frames(coat).items():
            save(top / folder / f"{name}.png", pixels)
    return top


def lines(case: Case, drawn: Path) -> str:
    """The case as a crate file."""
    keys = {
        "from": str(drawn / "otter"), "out": "out/o", "metadata": ["json", "xml"], "layout": case["layout"], "trim": case["trim"], "scale": case["scale"], "image": case["image"],
        "gap": int(case["gap"]), "cushion": int(case["cushion"]), "edge-repeat": int(case["edge"]), "canvas": case["canvas"], "resample": "pixel" if case["scale"] == "2x" else "smooth",
        "max-size": [{"50%": 20, "100%": 32, "2x": 60}[case["scale"]]] * 2 if case["sheets"] == "several" else [2048, 2048],
    } | ({"turn": True} if case["turn"] else {}) | ({"colors": 6} if case["palette"] else {}) | ({"premultiply": True} if case["alpha"] == "premultiplied" else {}) | (
        {"background": "#20406f"} if case["alpha"] == "background" else {}) | ({"outline": "#0a0a1e:1"} if case["outline"] else {}) | ({"shape": "contour"} if case["shape"] else {}) | ({"region": case["region"]} if case["region"] else {}) | ({"share-mirrored": True} if case["mirrored"] == "shared" else {})  # fmt: skip
    text = "[crate.otter]\n" + "".join(f"{key} = {shown(value)}\n" for key, value in keys.items())
    text += '[crate.otter.mirrored]\n"swim back" = "swim"\n' if case["mirrored"] == "copy" else ""
    return text + (f'[crate.otter.skin.rain]\nfrom = "{drawn / "rain"}"\n' if case["skins"] else "")


def shown(value: object) -> str:
    return json.dumps(value)  # TOML writes such values alike


@pytest.mark.parametrize("case", CASES, ids=lambda case: "-".join(filter(None, case.values())))
def test_every_frame_comes_back(case: Case, drawn: Path, tmp_path: Path, run: Run) -> None:
    (tmp_path / "o.crate.toml").write_text(lines(case, drawn), "utf-8")
    done = run("pack", "o.crate.toml", "--quiet")
    assert done.returncode == 0, done.stderr
    check_metadata(tmp_path / "out" / "o")
    done = run("verify", "out/o.json", "--against", "o.crate.toml")
    assert done.returncode == 0, done.stdout
    documents = [independent_reader.read(tmp_path / "out" / f"o.{form}") for form in ("json", "xml")]
    for key in ("frames", "animations"):
        assert [essence(one) for one in documents[0][key]] == [essence(one) for one in documents[1][key]]
    assert (len(documents[0]["sheets"]) > 1) == (case["sheets"] == "several")
    plain = tmp_path / "plain.crate.toml"
    mirrored = case["mirrored"].replace("shared", "")
    plainly = {**case, **PLAIN, "canvas": canvas_of(case), "mirrored": mirrored}
    plain.write_text(lines(plainly, drawn).replace("out/o", "plain/o"), "utf-8")
    assert run("pack", plain, "--quiet").returncode == 0
    for skin, coat in (("", 0), *([("rain", 40)] if case["skins"] else ())):
        arithmetic = expected(case, frames(coat))
        reference = independent_reader.restored(tmp_path / "plain" / "o.json", skin)
        if case["outline"]:
            others = [*arithmetic.values(), *(expected(case, frames(40)).values() if case["skins"] else ())]
            check_outlines(case, reference, arithmetic, others)
        elif case["scale"] != "50%" and not case["palette"]:
            assert all(np.array_equal(reference[name], cleared(pixels)) for name, pixels in arithmetic.items())
        for form in ("json", "xml"):
            restored = independent_reader.restored(tmp_path / "out" / f"o.{form}", skin)
            assert restored.keys() == reference.keys() == arithmetic.keys()
            for name, pixels in reference.items():
                assert case["outline"] or pixels.shape == arithmetic[name].shape
                compare(case, restored[name], pixels, f"{name} {skin} {form}")


def check_outlines(
    case: Case, reference: dict[str, np.ndarray], arithmetic: dict[str, np.ndarray], others: list[np.ndarray]
) -> None:
    """Each canvas grew alike by what the line of all frames and skins needs; figures are covered by no line."""
    if case["scale"] == "50%" or case["palette"]:
        return
    rims = [[one[..., 3][turn].any() for turn in (np.s_[:, 0], np.s_[0], np.s_[:, -1], np.s_[-1])] for one in others]
    left, top, right, bottom = np.any(rims, axis=0).astype(int)
    for name, pixels in arithmetic.items():
        wider = np.pad(pixels, ((top, bottom), (left, right), (0, 0)))
        assert reference[name].shape == wider.shape, name
        solid = wider[..., 3] == 255
        assert np.array_equal(reference[name][solid], wider[solid]), name
        near = np.pad(wider[..., 3], 2)
        near = np.max(
            [near[y : y + solid.shape[0], x : x + solid.shape[1]] for y in range(5) for x in range(5)], axis=0
        )
        assert not reference[name][near == 0].any(), name


PLAIN = {"layout": "grid", "trim": "off", "turn": "", "cushion": "0", "edge": "0", "alpha": "straight", "sheets": "one", "image": "png", "gap": "0"}  # fmt: skip
"""A crate that leaves frames as they are: what it gives back is what all others must give back, smoothed or with fewer
colors; without those it is what the sources make by plain arithmetic."""


def canvas_of(case: Case) -> str:
    """One rectangle for all is cut from one canvas."""
    return "common" if case["trim"] == "sheet" else case["canvas"]


def cleared(pixels: np.ndarray) -> np.ndarray:
    return np.where(pixels[..., 3:] == 0, 0, pixels)


def essence(one: Mapping[str, object]) -> dict[str, object]:
    """The content of both forms, with defaults filled in."""
    usual = {"turned": False, "mirror": "", "edited": False, "loop": "forever"}
    return {
        key: value
        for key, value in {**usual, **one}.items()
        if key in {*usual, "name", "sheet", "box", "canvas", "offset", "pivot", "frames", "durations", "crc", "shape"}
    }


def expected(case: Case, sources: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
    """The expected pixels of each frame by plain arithmetic, with straight alpha, without smoothing and palettes."""
    made = {name: cropped(pixels) for name, pixels in sources.items()} if case["region"] else dict(sources)
    if case["mirrored"] == "copy":
        made |= {
            name.replace("swim/swim", "swim back/swim back"): pixels[:, ::-1]
            for name, pixels in made.items()
            if "swim" in name
        }
    made = {name: scaled(pixels, case["scale"]) for name, pixels in made.items()}
    if canvas_of(case) == "common":
        h, w = (max(pixels.shape[axis] for pixels in made.values()) for axis in (0, 1))
        made = {name: stood(pixels, w, h) for name, pixels in made.items()}
    return made


def cropped(pixels: np.ndarray) -> np.ndarray:
    """The region 16x12+2+2, which reaches beyond small canvases."""
    return np.pad(pixels, ((0, 14), (0, 18), (0, 0)))[2:14, 2:18]


def scaled(pixels: np.ndarray, scale: str) -> np.ndarray:
    """Twice as large by repeating; half as large in its size alone."""
    if scale == "50%":
        return pixels[::2, ::2]
    return pixels.repeat(2, axis=0).repeat(2, axis=1) if scale == "2x" else pixels


def stood(pixels: np.ndarray, w: int, h: int) -> np.ndarray:
    """On a larger canvas, at the middle of its lower edge."""
    result = np.zeros((h, w, 4), np.uint8)
    left = (w - pixels.shape[1]) // 2
    result[h - pixels.shape[0] :, left : left + pixels.shape[1]] = pixels
    return result


def compare(case: Case, found: np.ndarray, wanted: np.ndarray, where: str) -> None:
    assert found.shape == wanted.shape, where
    if case["alpha"] == "background":
        wanted = flattened(wanted)
    wanted, found = cleared(wanted), cleared(found)
    if case["alpha"] == "premultiplied":
        stored = (wanted[..., :3].astype(int) * wanted[..., 3:] + 127) // 255
        back = np.minimum((stored * 255 + wanted[..., 3:] // 2) // np.maximum(wanted[..., 3:].astype(int), 1), 255)
        wanted = np.dstack((back, wanted[..., 3])).astype(np.uint8)
    most = 1 if case["alpha"] == "background" else 0
    assert np.abs(found.astype(int) - wanted).max() <= most, where


def flattened(pixels: np.ndarray) -> np.ndarray:
    alpha = pixels[..., 3:].astype(int)
    over = (pixels[..., :3] * alpha + np.array(BACKGROUND) * (255 - alpha) + 127) // 255
    return np.dstack((over, np.full(pixels.shape[:2], 255))).astype(np.uint8)
