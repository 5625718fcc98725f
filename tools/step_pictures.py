"""Draws the pictures in docs/pictures: each step of preparing and arranging, on frames of the Otter Post.

Run by ``make screenshots``. Every "after" is what the installed program packed, read back from its files.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

import agile_crate

PICTURES = Path(__file__).parents[1] / "docs" / "pictures"
FRAMES = Path(__file__).parents[1] / "src" / "agile_crate" / "demo" / "frames"
BRIGHT, DARK, BOARD = "#f4f1e8", "#1a2030", "board"
CAPTION = 22

Panel = tuple[str, Image.Image]


class Shop:
    """A workshop that packs frames in a folder of its own and returns them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.count = 0

    def packed(self, *inputs: Path, **settings: object) -> agile_crate.Loaded:
        self.count += 1
        out = self.folder / f"crate-{self.count}"
        agile_crate.pack([str(path) for path in inputs], str(out), **settings)
        return agile_crate.load(f"{out}.json")

    def frame(self, name: str, *inputs: Path, **settings: object) -> Image.Image:
        return Image.fromarray(self.packed(*inputs, **settings).frame(name))


def main() -> None:
    PICTURES.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        shop = Shop(Path(folder))
        for name, draw in STEPS.items():
            beside(draw(shop)).save(PICTURES / f"{name}.png", optimize=True)


def color_key(shop: Shop) -> Sequence[Panel]:
    walk = Image.open(FRAMES / "otter/walk_down/walk_down_01.png").convert("RGBA")
    solid = Image.new("RGBA", walk.size, "#ff00ff")
    solid.alpha_composite(walk)
    solid = solid.crop((16, 8, 80, 96))
    (shop.folder / "key").mkdir()
    solid.save(shop.folder / "key" / "walk_01.png")
    after = shop.frame("walk_01", shop.folder / "key", color_key="#ff00ff")
    return [
        ("drawn on one color", large(solid, 6)),
        ("--color-key '#ff00ff'", large(after, 6, BRIGHT)),
        ("on a dark ground", large(after, 6, DARK)),
    ]


def scale(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "splash"
    before = Image.open(source / "splash_05.png").convert("RGBA")
    after = shop.frame("splash_05", source, scale="25%")
    return [
        ("the drawing, 384 x 384", on(before, BOARD)),
        ("--scale 25%, four times as large", large(after, 4, BRIGHT)),
        ("on a dark ground", large(after, 4, DARK)),
    ]


def palette(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "splash"
    small = shop.frame("splash_05", source, scale="25%")
    return [
        ("--scale 25%", large(small, 4, DARK)),
        ("and --hard-alpha 128", large(shop.frame("splash_05", source, scale="25%", hard_alpha=128), 4, DARK)),
        ("and --colors 6", large(shop.frame("splash_05", source, scale="25%", hard_alpha=128, colors=6), 4, DARK)),
        (
            "and --dither",
            large(shop.frame("splash_05", source, scale="25%", hard_alpha=128, colors=6, dither=True), 4, DARK),
        ),
    ]


def canvas(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "harbor" / "parcels"
    names = ("letter", "sack", "tube", "large_box")
    own = shop.packed(source)
    common = shop.packed(source, canvas="common")
    middle = shop.packed(source, canvas="common", align="center")

    def row(loaded: agile_crate.Loaded) -> Image.Image:
        pictures = [large(framed(Image.fromarray(loaded.frame(name))), 3) for name in names]
        wide = Image.new("RGBA", (sum(p.width + 6 for p in pictures), max(p.height for p in pictures)), "white")
        x = 0
        for picture in pictures:
            wide.paste(picture, (x, 0))
            x += picture.width + 6
        return wide

    return [
        ("own canvases, lines round them", row(own)),
        ("--canvas common: one ground", row(common)),
        ("--canvas common --align center: they hang", row(middle)),
    ]


def outline(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "harbor" / "gull"
    return [
        ("as drawn", large(shop.frame("gull_03", source), 5, BRIGHT)),
        ("--outline '#201830:2'", large(shop.frame("gull_03", source, outline="#201830:2"), 5, BRIGHT)),
        ("--outline '#c04030:1:inner'", large(shop.frame("gull_03", source, outline="#c04030:1:inner"), 5, BRIGHT)),
        (
            "--hard-alpha 128, hard line",
            large(shop.frame("gull_03", source, outline="#201830:2", hard_alpha=128), 5, BRIGHT),
        ),
    ]


def trim(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "otter" / "dive"
    panels = []
    for kind in ("frame", "animation"):
        loaded = shop.packed(source, trim=kind)
        for number in (3, 7):
            frame = loaded.crate.frames[number - 1]
            picture = large(Image.fromarray(loaded.frame(frame.name)), 4)
            x, y, (w, h) = *frame.offset, frame.upright
            ImageDraw.Draw(picture).rectangle(
                (4 * x, 4 * y, 4 * (x + w) - 1, 4 * (y + h) - 1), outline="#d03030", width=2
            )
            panels.append((f"--trim {kind}: {w} x {h} at {x},{y}", picture))
    return panels


def pivot(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "otter" / "dive"
    panels = []
    for wish in ("bottom", "feet", "0.4,0.6"):
        loaded = shop.packed(source, pivot=wish)
        frame = loaded.crate.frames[0]
        picture = large(framed(Image.fromarray(loaded.frame(frame.name))), 4)
        x, y = (4 * value for value in frame.pivot)
        draw = ImageDraw.Draw(picture)
        draw.line((x - 14, y, x + 14, y), "#d03030", 3)
        draw.line((x, y - 14, x, y + 14), "#d03030", 3)
        panels.append((f"--pivot {wish}: {frame.pivot.x:g},{frame.pivot.y:g}", picture))
    return panels


def fill_under(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "otter" / "swim"
    trims = {"trim": "frame", "trim_alpha": 8}
    plain, filled = (shop.packed(source, fill_under=wish, **trims).frame("swim_04") for wish in (False, True))

    def bare(pixels: np.ndarray) -> Image.Image:
        return Image.fromarray(np.ascontiguousarray(pixels[..., :3])).convert("RGBA")

    return [
        ("as it looks", large(Image.fromarray(filled), 4)),
        ("its colors, alpha ignored", large(bare(plain), 4)),
        ("--fill-under", large(bare(filled), 4)),
    ]


def shape(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "otter" / "swim"
    panels = []
    for title, wishes in (
        ("--shape hull", {"shape": "hull"}),
        ("--shape hull --shape-points 6", {"shape": "hull", "shape_points": 6}),
        ("--shape contour", {"shape": "contour"}),
        ("--shape contour --shape-points 12", {"shape": "contour", "shape_points": 12}),
    ):
        loaded = shop.packed(source, trim_alpha=8, **wishes)
        frame = loaded.crate.frames[3]
        picture = large(Image.fromarray(loaded.frame(frame.name)), 4)
        draw = ImageDraw.Draw(picture)
        for polygon in frame.shape.polygons:
            draw.line([(4 * x, 4 * y) for x, y in (*polygon, polygon[0])], "#d03030", 2)
            for x, y in polygon:
                draw.ellipse((4 * x - 4, 4 * y - 4, 4 * x + 4, 4 * y + 4), "#d03030")
        panels.append((title, picture))
    return panels


def spacing(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "harbor" / "lantern"
    panels = []
    for title, wishes in (
        ("--layout tight", {}),
        ("--gap 3", {"gap": 3}),
        ("--gap 3 --margin 3", {"gap": 3, "margin": 3}),
        ("--cushion 2", {"cushion": 2}),
        ("--edge-repeat 2", {"edge_repeat": 2}),
        ("--cushion 1 --edge-repeat 2", {"cushion": 1, "edge_repeat": 2}),
    ):
        loaded = shop.packed(source, layout="tight", max_size="80x400", **wishes)
        panels.append((title, sheet_with_boxes(loaded, 5)))
    return panels


def edges(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "sea"
    panels = []
    for title, wishes in (("the sea, --gap 4", {"gap": 4, "margin": 2}), ("--edge-repeat 2", {"edge_repeat": 2})):
        loaded = shop.packed(source, layout="strip", scale="25%", **wishes)
        panels.append((title, sheet_with_boxes(loaded, 6)))
    return panels


def turn(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "harbor"
    panels = []
    for title, wishes in (
        ("--layout tight", {}),
        ("--turn", {"turn": True}),
        ("--turn --pow2", {"turn": True, "pow2": True}),
    ):
        loaded = shop.packed(source, layout="tight", gap=1, **wishes)
        sheet = loaded.crate.sheets[0].size
        panels.append((f"{title}: {sheet.w} x {sheet.h}", sheet_with_boxes(loaded, 2)))
    return panels


def layouts(shop: Shop) -> Sequence[Panel]:
    source = FRAMES / "otter"
    panels = []
    for layout in ("grid", "rows", "blocks", "tight"):
        loaded = shop.packed(source, layout=layout, scale="50%")
        sheet = loaded.crate.sheets[0].size
        panels.append((f"--layout {layout}: {sheet.w} x {sheet.h}", on(Image.fromarray(loaded.sheets[0]), BOARD)))
    return panels


def skins(_: Shop) -> Sequence[Panel]:
    """The same moment in every skin, from the demo's own project."""
    with tempfile.TemporaryDirectory() as folder:
        project = Path(folder) / "demo"
        shutil.copytree(FRAMES.parent, project, ignore=shutil.ignore_patterns("*.py", "__pycache__"))
        program = Path(sys.executable).with_name("agile-crate")
        subprocess.run([program, "pack", project / "otter-post.crate.toml", "--only", "otter", "--quiet"], check=True)
        panels = []
        for name in ("", "raincoat", "scarf"):
            loaded = agile_crate.load(project / "crate" / "otter.json", skin=name)
            pictures = [loaded.frame(frame) for frame in ("idle/idle_01", "walk_left/walk_left_01", "swim/swim_03")]
            row = large(Image.fromarray(np.concatenate(pictures, axis=1)), 1)
            panels.append((f"the skin {name}" if name else "otter", row))
        return panels


def vector(shop: Shop) -> Sequence[Panel]:
    buoy = FRAMES.parent / "vectors" / "buoy"
    return [
        ("its own size, enlarged", large(shop.frame("buoy_3", buoy), 4)),
        ("--scale 400%: drawn afresh", on(shop.frame("buoy_3", buoy, scale="400%"), BOARD)),
        ("--fit 300 --fit-to art", on(shop.frame("buoy_3", buoy, fit="300", fit_to="art"), BOARD)),
    ]


def parted(shop: Shop) -> Sequence[Panel]:
    """A sheet on which otters touch, cut by the installed program."""
    sheet = Image.new("RGBA", (392, 168))
    x = 6
    for number, overlap in enumerate((0, 2, -9, 1, 2, -9), 1):
        figure = Image.open(FRAMES / f"otter/idle/idle_{number:02}.png").convert("RGBA")
        figure = figure.crop(figure.getbbox())
        sheet.alpha_composite(figure, (x, 82 - figure.height))
        x += figure.width - overlap
    x = 6
    for name, overlap in (
        ("walk_left/walk_left_01", 1),
        ("walk_right/walk_right_01", -10),
        ("walk_left/walk_left_03", 0),
    ):
        figure = Image.open(FRAMES / f"otter/{name}.png").convert("RGBA")
        figure = figure.crop(figure.getbbox())
        sheet.alpha_composite(figure, (x, 164 - figure.height))
        x += figure.width - overlap
    figure = Image.open(FRAMES / "otter/idle/idle_01.png").convert("RGBA")
    figure = figure.crop(figure.getbbox()).rotate(90, expand=True)
    sheet.alpha_composite(figure, (x + 10, 164 - figure.height))
    sheet.save(shop.folder / "sheet.png")
    program = Path(sys.executable).with_name("agile-crate")
    words = [
        "--islands",
        "--join",
        "3",
        "--split-touching",
        "--name-rows",
        "idle,walk",
        "--boxes-out",
        "boxes.csv",
        "--out",
        "cut",
        "--quiet",
    ]
    subprocess.run([program, "unpack", "sheet.png", *words], cwd=shop.folder, check=True, stderr=subprocess.DEVNULL)
    marked = on(sheet, BOARD)
    draw = ImageDraw.Draw(marked)
    for line in (shop.folder / "boxes.csv").read_text("utf-8").splitlines()[1:]:
        left, top, w, h = map(int, line.split(",")[1:])
        draw.rectangle((left, top, left + w - 1, top + h - 1), outline="#d03030")
    loaded = shop.packed(shop.folder / "cut", layout="rows")
    return [
        ("somebody's sheet, on which figures touch", on(sheet, BOARD)),
        ("unpack --islands --split-touching --name-rows idle,walk", marked),
        ("packed again: on one ground", on(Image.fromarray(loaded.sheets[0]), BOARD)),
    ]


def sheet_with_boxes(loaded: agile_crate.Loaded, factor: int) -> Image.Image:
    """A sheet, enlarged, with a line round every box."""
    picture = large(Image.fromarray(loaded.sheets[0]), factor)
    draw = ImageDraw.Draw(picture)
    for frame in loaded.crate.frames:
        x, y, w, h = (factor * value for value in frame.box)
        draw.rectangle((x, y, x + w - 1, y + h - 1), outline="#d03030")
    return picture


STEPS: dict[str, Callable[[Shop], Sequence[Panel]]] = {
    "color-key": color_key,
    "scale": scale,
    "palette": palette,
    "canvas": canvas,
    "outline": outline,
    "trim": trim,
    "pivot": pivot,
    "fill-under": fill_under,
    "shape": shape,
    "layouts": layouts,
    "spacing": spacing,
    "edges": edges,
    "turn": turn,
    "skins": skins,
    "vector": vector,
    "parted": parted,
}


def on(picture: Image.Image, ground: str) -> Image.Image:
    """A picture on a ground: one color, or a checkerboard."""
    if ground == BOARD:
        y, x = np.mgrid[: picture.height, : picture.width] // 8
        board = np.where(((x + y) % 2 == 0)[..., None], (255, 255, 255), (217, 221, 228)).astype(np.uint8)
        below = Image.fromarray(board).convert("RGBA")
    else:
        below = Image.new("RGBA", picture.size, ground)
    below.alpha_composite(picture.convert("RGBA"))
    return below


def large(picture: Image.Image, factor: int, ground: str = BOARD) -> Image.Image:
    """Every pixel as a square, on a ground."""
    size = (picture.width * factor, picture.height * factor)
    return on(picture.resize(size, Image.Resampling.NEAREST), ground)


def framed(picture: Image.Image) -> Image.Image:
    """A picture with a thin line along the edge of its canvas."""
    picture = picture.copy()
    ImageDraw.Draw(picture).rectangle((0, 0, picture.width - 1, picture.height - 1), outline="#8090a8")
    return picture


def beside(panels: Sequence[Panel]) -> Image.Image:
    """Panels with their captions, in even rows of at most about 1,280 pixels."""
    font = ImageFont.load_default(15)
    fitting = max(1, 1292 // (max(picture.width for _, picture in panels) + 12))
    count = -(-len(panels) // fitting)
    length = -(-len(panels) // count)
    rows = [panels[start : start + length] for start in range(0, len(panels), length)]
    width = max(sum(p.width + 12 for _, p in row) for row in rows) - 12
    height = sum(max(p.height for _, p in row) + CAPTION + 10 for row in rows) - 10
    page = Image.new("RGB", (width, height), "white")
    draw = ImageDraw.Draw(page)
    y = 0
    for row in rows:
        x = 0
        for title, picture in row:
            draw.text((x, y + 2), title, "#202838", font=font)
            page.paste(picture.convert("RGB"), (x, y + CAPTION))
            x += picture.width + 12
        y += max(p.height for _, p in row) + CAPTION + 10
    return page


if __name__ == "__main__":
    main()
