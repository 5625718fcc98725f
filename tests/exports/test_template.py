"""Templates: what they see, what the examples make, and what a stranger's template cannot do."""

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from agile_crate import demo
from agile_crate.core.crate.restore import restore
from agile_crate.core.errors import InputError
from agile_crate.core.limits import USUAL, Limits
from agile_crate.core.model.crate import Crate, Frame
from agile_crate.core.model.geometry import Box, Offset, Point, Size
from agile_crate.core.model.sheet import Sheet
from agile_crate.exports.template import Template, read_templates, rendered
from agile_crate.exports.template_child import RefusedError, render, sandbox
from agile_crate.exports.template_context import FILTERS, context_of, identifier, literal
from conftest import tool
from crates import FULL, named

HOSTILE = ['a"b\\c', "new\nline", "*/", "??=", "]]", "-- end", "ünï", "\x01", "$(x)", "%s", "{{ x }}"]


def made(text: str, crate: Crate = FULL) -> str:
    """Render a template in this process."""
    return render(sandbox(), text, context_of(crate), USUAL)


def made_apart(text: str, crate: Crate = FULL, limits: Limits = USUAL) -> str:
    """The same in a process of its own, as the program does it."""
    return rendered(Template("engine.txt.j2", text, limits), crate)


def test_a_template_sees_the_metadata_under_its_own_names() -> None:
    text = "{{ crate.name }} {{ crate.alpha }} {{ crate.background }} {% for s in sheets %}{{ s.image }} {{ s.size.w }};{% endfor %}"
    assert (
        made_apart(text)
        == made(text)
        == "otter premultiplied #20406f otter-1.png 64;otter-2.png 48;otter-3.png 50;otter-4.png 90;"
    )
    text = "{% for f in frames %}{{ f.index }} {{ f.image }} {{ f.box.x }} {{ f.upright.w }} {{ f.turned }} {{ f.mirror }};{% endfor %}"
    assert made(text) == "0 otter-1.png 2 9 False ;1 otter-2.png 2 10 True xy;2 otter-3.png 0 0 False ;"
    text = "{% for a in animations %}{{ a.name }} {{ a.length }} {{ a.turn|map(attribute='index')|join(',') }};{% endfor %}"
    assert made(text) == "swim 250 0,1,0,1;dive 501 2,0;dash 133 0,2,1;"
    assert made("{{ crate.files|length }} {{ crate.files[0] }}") == "3 otter.css"
    assert made("{{ crate.files|length }}{{ crate.background }}{{ crate.settings|length }}", named([])) == "00"
    assert made("a\n{% if true %}\nb\n{% endif %}\n") == "a\nb\n"


def test_the_filters() -> None:
    frame = "{{ frames[0]|%s }}"
    assert made(frame % "edges|list") == "[0.03125, 0.0625, 0.171875, 0.1875]"
    assert made(frame % "edges(y_up=true)|list") == "[0.03125, 0.9375, 0.171875, 0.8125]"
    assert made(frame % "box_y_up|list") == "[2, 26, 9, 4]"
    assert made(frame % "pivot_share|list") == "[0.5, 1.0]"
    assert made(frame % "pivot_share(y_up=true)|list") == "[0.5, 0.0]"
    assert made(frame % "pivot_share(of='box')|list") == f"[{5 / 9}, {11 / 4}]"
    # stored 6 × 10 and turned: upright 10 × 6 at 3, 5 of 16 × 16, flipped both ways to 3, 5 from the other corner
    assert made("{{ frames[1]|pivot_share(of='box')|list }}") == f"[{(7.5 - 3) / 10}, {(16 - 5) / 6}]"
    assert made("{{ frames[2]|pivot_share(of='box')|list }}") == "[0.0, 0.0]"
    assert json.loads(made("{{ frames|map(attribute='name')|list|json }}")) == [f.name for f in FULL.frames]
    assert made("{{ '<a & \"b\">'|xml }}") == "&lt;a &amp; &quot;b&quot;&gt;"
    assert set(FILTERS) == {
        "identifier", "edges", "corners", "placed", "box_y_up", "pivot_share", "json", "xml", "literal"
    }  # fmt: skip


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("mirror", ["", "x", "y", "xy"])
@pytest.mark.parametrize("y_up", [False, True])
def test_corners_and_places_are_those_that_the_reader_sees(turned: bool, mirror: Any, y_up: bool) -> None:
    """The texture at each corner is the pixel that restoring puts there."""
    sheet = np.full((30, 40, 4), 255, np.uint8)
    sheet[..., 0], sheet[..., 1] = np.arange(40)[None], np.arange(30)[:, None]
    box = Box(7, 5, 6, 9)
    frame = Frame("a", 0, box, Size(20, 25), Offset(3, 4), Point(10, 20), turned, mirror, None, "", False)
    crate = named(["a"])._replace(sheets=(Sheet("o.png", Size(40, 30)),), frames=(frame,))
    seen = restore(sheet, frame)
    text = f"{{{{ [frames[0]|placed|list, frames[0]|corners(y_up={y_up})|list, crate.bounds|list]|json }}}}"
    (x, y), corners, bounds = json.loads(made(text, crate))
    w, h = frame.upright
    assert np.array_equal(np.argwhere(seen[..., 3])[0], (y, x))
    assert seen[y : y + h, x : x + w, 3].all()
    middle = np.mean(corners, axis=0)
    expected = [seen[y, x], seen[y, x + w - 1], seen[y + h - 1, x + w - 1], seen[y + h - 1, x]]
    for (u, v), pixel in zip(corners, expected, strict=True):
        inside_u, inside_v = u + (0.001 if u < middle[0] else -0.001), v + (0.001 if v < middle[1] else -0.001)
        column, row = int(inside_u * 40), int((1 - inside_v if y_up else inside_v) * 30)
        assert sheet[row, column].tolist() == pixel.tolist()
    assert bounds == [x - 10, y - 20, x + w - 10, y + h - 20]


def test_bounds_hold_all_frames_round_their_pivots() -> None:
    text = "{% for a in animations %}{{ a.bounds|list }};{% endfor %}{{ crate.bounds.w }} {{ crate.bounds.h }}"
    *each, whole = made(text).split(";")
    boxes = [json.loads(one) for one in each if one != "[0, 0, 0, 0]"]
    w, h = max(b[2] for b in boxes) - min(b[0] for b in boxes), max(b[3] for b in boxes) - min(b[1] for b in boxes)
    assert whole == f"{w} {h}"
    assert made("{{ crate.bounds|list }}", named([])) == "[0, 0, 0, 0]"


def test_variables_and_giving_up() -> None:
    assert rendered(Template("a.txt.j2", "{{ speed }} {{ crate.name }}", USUAL, (("speed", "2x"),)), FULL) == "2x otter"
    assert made("{{ speed if speed is defined else 7 }}") == "7"
    with pytest.raises(InputError, match=r"^engine.txt.j2: no turned frames; nothing was written$"):
        made_apart("{% if frames[1].turned %}{{ fail('no turned frames') }}{% endif %}")


@pytest.mark.parametrize(
    ("path", "ending"), [("a/engine.uv.json.j2", ".uv.json"), ("engine.lua.j2", ".lua"), ("b.c/x.tar.gz.j2", ".tar.gz")]
)
def test_endings_are_kept_whole(path: str, ending: str) -> None:
    assert Template(path, "", USUAL).ending == ending


def test_identifiers_are_safe_and_unique() -> None:
    names = ("swim/swim_01", "8 way", "", "möwe", "日 本", "✉")
    assert [*map(identifier, names)] == ["swim_swim_01", "_8_way", "_", "mu00f6we", "u65e5_u672c", "_"]
    names = [frame["identifier"] for frame in context_of(named(["a b", "a_b", "A/B", "a_b_2"]))["frames"]]
    assert names == ["a_b", "a_b_2", "A_B_3", "a_b_2_2"]


@pytest.mark.parametrize("name", [*HOSTILE, "otter 🦦 \u2028"])
def test_literals_mean_the_name_in_each_language(name: str) -> None:
    assert eval(literal(name, "python")) == name
    said = subprocess.run([tool("lua5.4"), "-e", f"io.write({literal(name, 'lua')})"], capture_output=True, check=True)
    assert said.stdout == name.encode()


def examples() -> dict[str, Template]:
    folder = demo.FOLDER / "templates"
    return {path.name: read_templates([str(path)], (), USUAL)[0] for path in sorted(folder.iterdir())}


def test_the_example_for_python_is_a_module(tmp_path: Path) -> None:
    crate = named(HOSTILE)
    (tmp_path / "otter.py").write_text(made(examples()["frames.py.j2"].text, crate), "utf-8")
    code = "import json, otter; print(json.dumps([otter.FRAMES, otter.ANIMATIONS, otter.SHEETS]))"
    said = subprocess.run([sys.executable, "-c", code], cwd=tmp_path, capture_output=True, check=True).stdout
    frames, animations, sheets = json.loads(said)
    assert list(frames) == list(animations) == HOSTILE
    assert frames["*/"] == {
        "image": "c.png", "box": [0, 0, 1, 1], "turned": False, "mirror": "", "canvas": [1, 1], "offset": [0, 0],
        "pivot": [0.25, 1],
    }  # fmt: skip
    assert animations["*/"] == {"steps": [["*/", 100]], "fps": None, "beats": None, "loop": "forever", "times": 0}
    assert sheets == ["c.png"]


STRICT = ("-std=c99", "-pedantic", "-Wall", "-Wextra", "-Werror")


def test_the_example_for_c_compiles_and_says_the_same(tmp_path: Path) -> None:
    header = examples()["frames.h.j2"].text
    (tmp_path / "odd.h").write_text(made(header, named(HOSTILE)), "utf-8")
    (tmp_path / "otter.h").write_text(made(header, FULL), "utf-8")
    shutil.copy(Path(__file__).with_name("print_tables.c"), tmp_path / "main.c")
    subprocess.run([tool("gcc"), *STRICT, "main.c", "-o", "main"], cwd=tmp_path, check=True)
    said = subprocess.run([tmp_path / "main"], capture_output=True, check=True).stdout.split(b"\0")
    assert [name.decode() for name in said[:-1]] == HOSTILE
    assert said[-1] == b"1 2,2,6,10 111 16,16 3,5 7.5,16 | dive 2 0 500 1 3"


@pytest.mark.parametrize("crate", ["cnt", "日本", "_", "8", "!!"])
def test_names_in_c_never_clash_and_are_not_reserved(tmp_path: Path, crate: str) -> None:
    odd = named(["count", "indices", "frame", "times", "beats", "play", "s", "s_count", "frame_indices"])._replace(
        name=crate
    )
    text = made(examples()["frames.h.j2"].text, odd)
    (tmp_path / "odd.c").write_text(text, "utf-8")
    subprocess.run([tool("gcc"), *STRICT, "-Wno-unused-const-variable", "-c", "odd.c"], cwd=tmp_path, check=True)
    words = set(re.findall(r"\b[A-Z_][A-Z0-9_]*\b", re.sub(r'"[^"]*"|/\*.*?\*/', "", text)))
    assert not [word for word in words if word.startswith("_")]


def test_a_lua_table_of_many_frames_is_read(tmp_path: Path) -> None:
    """A just-in-time compiler for Lua allows at most 65,536 constants in a function."""
    names = [f"swim/swim_{number}" for number in range(14_000)]
    (tmp_path / "otter.lua").write_text(made(examples()["table.lua.j2"].text, named(names)), "utf-8")
    ask = 'local made = dofile("otter.lua"); print(#made.frames, #made.animations, made.frames[14000].name, made.frames[1].on)'
    for lua in ("lua5.4", "luajit"):
        said = subprocess.run([tool(lua), "-e", ask], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
        assert (said.stderr, said.stdout) == ("", "14000\t14000\tswim/swim_13999\t1\n"), lua


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("a\nb\n{{ frmaes }}", "line 3: 'frmaes' is undefined"),
        ("{% for f in frames %}\n{{ f.nme }}\n{% endfor %}", "line 2: 'dict object' has no attribute 'nme'"),
        ("x\n{% for f in %}", "line 2: Expected an expression, got 'end of statement block'"),
        ("\n{{ 1|uppper }}", "line 2: No filter named 'uppper'"),
        ("{{ 'a'|literal('go') }}", "line 1: literal knows 'c', 'lua' and 'python', not 'go'"),
        ("{{ frames[0]|pivot_share(of='sea') }}", "line 1: pivot_share knows of='canvas' and of='box', not 'sea'"),
        ("{{ 1/0 }}", "line 1: division by zero"),
        ("{{ ''.__class__.__mro__ }}", "line 1: access to attribute '__class__' of 'str' object is unsafe"),
        ("{{ frames.append(1) }}", "line 1: access to attribute 'append' of 'list' object is unsafe"),
        ("{% include '/etc/passwd' %}", "line 1: no loader for this environment specified"),
        ("{% macro a() %}{{ a() }}{{ a() }}{% endmacro %}{{ a() }}", "it calls itself too deeply"),
        ("{% for i in range(1000000) %}{% endfor %}", "line 1: Range too big. The sandbox blocks ranges larger than MAX_RANGE (100000)"),
    ],
)  # fmt: skip
def test_what_cannot_be_rendered_is_told_with_its_line(text: str, why: str) -> None:
    with pytest.raises(RefusedError, match="^" + re.escape(why) + "[.]?$"):
        made(text)


ENDLESS = "{% for i in range(100000) %}{% for j in range(100000) %}{% endfor %}{% endfor %}"


@pytest.mark.parametrize(
    ("limit", "value", "text", "why"),
    [
        ("process_bytes", 1 << 33, "{{ 'x' * 10**10 }}", "takes more memory than a template may"),
        ("process_bytes", 1 << 33, "{{ '%10000000000d' % 1 }}", "takes more memory than a template may"),
        ("template_characters", 1000, "{% for i in range(9) %}{{ 'x' * 200 }}{% endfor %}", "writes more than 1,000 characters"),
        ("seconds", 1, ENDLESS, "takes longer than 1 seconds"),
    ],
)  # fmt: skip
def test_what_a_template_writes_and_takes_is_bounded(limit: str, value: int, text: str, why: str) -> None:
    told = f"engine.txt.j2: it {why}; nothing was written; limit='{limit.replace('_', '-')}=N' allows more"
    with pytest.raises(InputError, match="^" + re.escape(told) + "$"):
        made_apart(text, limits=USUAL._replace(**{limit: value}))
    assert made_apart("{{ crate.name }}", limits=USUAL._replace(**{limit: max(value, 60)})) == "otter"


ATTACKS = [
    "{{ ''.__class__.__mro__[1].__subclasses__() }}", "{{ cycler.__init__.__globals__.os.popen('id').read() }}", "{{ lipsum.__globals__['os'] }}", "{{ frames|attr('__class__') }}",
    "{{ frames|map(attribute='__class__')|list }}", "{{ namespace.__init__.__globals__ }}", "{{ joiner.__call__.__globals__ }}", "{{ fail.__globals__ }}", "{{ '{0.__class__}'.format(1) }}",
    "{{ '%s'.__mod__.__self__.__class__ }}", "{{ self._TemplateReference__context.environment }}", "{% include '/etc/passwd' %}", "{% import 'os' as os %}", "{% extends '/etc/passwd' %}",
    "{{ (1).__class__.__base__ }}", "{{ crate.update({}) }}", "{{ frames.__getitem__.__func__ }}", "{% set x = range.__self__ %}{{ x }}", "{{ url_for }}", "{{ get_flashed_messages }}", "{{ ()|attr('\\x5f_class__') }}",
    "{{ dict.mro() }}", "{{ ''.join.__self__.encode.__class__ }}", "{{ loop }}", "{{ caller() }}", "{{ varargs.__class__ }}",
]  # fmt: skip


@pytest.mark.parametrize("text", ATTACKS)
def test_no_way_out_of_the_sandbox(text: str) -> None:
    try:
        told = made(text)
    except RefusedError as error:
        told = str(error)
    assert not re.search(r"root:|uid=|<(class|module|function|built-in|bound|Environment|jinja2)", told), told


DOORS = """
import builtins, os, socket, subprocess, sys, ctypes
from agile_crate.platform import close_doors
attempts = {
    "read": lambda: open("/etc/passwd"), "write": lambda: open("x", "w"), "low": lambda: os.open("/etc/passwd", os.O_RDONLY), "connect": lambda: socket.create_connection(("127.0.0.1", 9)),
    "listen": lambda: socket.socket(), "start": lambda: subprocess.run(["id"]), "shell": lambda: os.system("id"), "list": lambda: os.listdir("/"), "remove": lambda: os.remove("here"),
    "fork": lambda: os.fork(), "import": lambda: __import__("wave"), "library": lambda: ctypes.CDLL("libc.so.6"),
}
close_doors()
for name, attempt in attempts.items():
    try:
        attempt()
    except OSError:
        continue
    print("open:", name)
"""


def test_the_doors_are_closed_behind_what_renders(tmp_path: Path) -> None:
    """Whoever got out of the sandbox would find no file, no connection and no other program."""
    (tmp_path / "here").touch()
    done = subprocess.run(
        [sys.executable, "-c", DOORS], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    assert [path.name for path in tmp_path.iterdir()] == ["here"]


PRELOADED = """
import sys
from agile_crate.exports.template_child import PRELOADED, sandbox
environment = sandbox()
for name in PRELOADED:
    __import__(name)
before = set(sys.modules)
values = ["'a <b> otter'", "7.5", "[3, 1, 2]", "{'a': 1}", "frames", "nothing"]
for name in environment.filters:
    for value in values:
        for more in ("", "(1)", "('a')", "('a', 'b')"):
            try:
                environment.from_string("{{ %s|%s%s }}" % (value, name, more)).render(frames=[{"name": "otter"}])
            except Exception:
                pass
for text in ("{% include 'x' %}", "{{ 1 is divisibleby 2 }}", "{% for a in %}", "{{ fail('no') }}"):
    try:
        environment.from_string(text).render()
    except Exception:
        pass
print(*sorted(set(sys.modules) - before))
"""


def test_all_that_a_template_needs_is_loaded_before_the_doors_close() -> None:
    done = subprocess.run([sys.executable, "-c", PRELOADED], capture_output=True, encoding="utf-8", check=False)
    assert (done.returncode, done.stdout, done.stderr) == (0, "\n", "")
