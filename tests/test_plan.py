"""The plan of the program: which package may import which, what else may be imported where, and how long things may be.

Read from the source, so imports within functions count as well. What stands under `if TYPE_CHECKING` counts too: who
names a type of another package knows that package.
"""

from __future__ import annotations

import ast
import sys
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "agile_crate"

LAYERS = (
    "__main__", "cli", "agile_crate", "commands", "crate_files", "pipeline", "views", "live", "sources", "settings",
    "exports", "storage", "workers", "format", "core", "demo", "interrupts", "platform",
)  # fmt: skip
"""The packages from the top. Each may import those below it; `agile_crate` is the package itself, the script interface.
"""

NOT_BELOW = {
    "cli": {"exports", "platform", "live"}, "agile_crate": {"views", "live"},
    "pipeline": {"views", "live", "demo", "interrupts"}, "views": {"live", "sources", "storage", "workers", "settings"},
    "live": set(LAYERS), "sources": {"exports", "settings", "interrupts"}, "settings": {"storage", "workers", "format", "interrupts", "platform"},
    "exports": {"interrupts"}, "workers": {"format"},
    "core": {"demo", "interrupts", "platform"}, "demo": set(LAYERS), "interrupts": {"platform"},
}  # fmt: skip
"""Packages that a package must not import although they are below it."""

MAY_IMPORT = {name: set(LAYERS[number + 1 :]) - NOT_BELOW.get(name, set()) for number, name in enumerate(LAYERS)}

CORE_FOLDERS = {
    "inspect": {"frame", "motion", "model"}, "cut": {"frame", "model"}, "crate": {"arrange", "motion", "frame", "model"}, "arrange": {"frame", "model"},
    "motion": {"model"}, "frame": {"model"}, "model": set[str](), "": {"model"},
}  # fmt: skip
"""The folders of `core`, from the top, with the others that each may import. The modules beside them are vocabulary,
which every folder may import."""

ONLY_IN = {
    "argparse": {"cli"}, "argcomplete": {"cli"}, "rich": {"cli"}, "distributed": {"workers"}, "fsspec": {"sources"}, "signal": {"cli", "workers", "platform"}, "multiprocessing": {"workers"}, "pickle": {"workers"},
    "PIL": {"sources", "exports", "storage", "views"}, "zlib_ng": {"exports", "core"}, "oxipng": {"exports"},
    "jinja2": {"exports", "views"}, "markupsafe": {"views"}, "matplotlib": {"views"},
    "defusedxml": {"format", "sources"}, "scipy": {"core"},
    "resvg_py": {"sources"}, "OpenEXR": {"sources"}, "numpy": {"pipeline", "views", "sources", "exports", "commands", "storage", "workers", "core"}, "subprocess": {"workers"},
    "mypy_extensions": {"core"}, "sqlite3": {"storage"}, "platformdirs": {"storage"}, "tomlkit": {"crate_files"}, "time": {"cli"}, "watchdog": {"sources"}, "pyspng": {"sources"}, "http": {"live"}, "socket": {"workers"}, "secrets": {"live"},
    "hmac": {"live"}, "datetime": set[str](),
}  # fmt: skip
"""Modules of others, and the packages that may import them. What is not named here must be the standard library."""

SYSTEMS = {
    "fcntl", "resource", "pwd", "grp", "termios", "tty", "pty", "posix", "syslog", "msvcrt", "winreg", "fork", "forkpty", "getuid", "geteuid", "getgid", "chown", "chroot", "mkfifo", "mknod", "killpg",
    "setsid", "getpgid", "setpgid", "nice", "sched_getaffinity", "sched_setaffinity", "statvfs", "sysconf", "wait3", "wait4", "waitid", "WNOHANG", "O_NONBLOCK", "O_NOFOLLOW", "O_BINARY", "SIGKILL",
    "SIGHUP", "SIGUSR1", "SIGUSR2", "SIGALRM", "SIGCHLD", "SIGSTOP", "SIGCONT", "SIGPIPE", "SIGBREAK", "alarm", "setitimer", "fchmod", "fchown", "pread", "pwrite", "MADV_DONTNEED", "startfile",
}  # fmt: skip
"""Modules and names that one system has and another has not: only `platform` asks for them."""

FILES_OF = {"sources", "exports", "storage", "workers", "format"}
"""The packages that open files. `core`, `pipeline` and `views` never do; a job asks one of these."""

FILE_MODULES = {"io", "os", "pathlib", "glob", "tempfile", "shutil", "importlib"}
"""Modules that `core` does without: there the world ends at arrays and plain values."""


def modules() -> Iterator[tuple[str, Path]]:
    for path in sorted(SOURCE.rglob("*.py")):
        parts = path.relative_to(SOURCE.parent).with_suffix("").parts
        yield ".".join(parts[:-1] if parts[-1] == "__init__" else parts), path


MODULES = dict(modules())


TREES = {module: ast.parse(path.read_text("utf-8")) for module, path in MODULES.items()}


def imported(module: str, tree: ast.Module) -> Iterator[str]:
    """The full names of all modules that a module imports."""
    package = module if MODULES[module].name == "__init__.py" else module.rpartition(".")[0]
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            above = package.split(".")[: len(package.split(".")) - node.level + 1] if node.level else []
            base = ".".join([*above, *filter(None, [node.module])])
            for alias in node.names:
                name = f"{base}.{alias.name}"
                yield name if name in MODULES else base


def package_of(module: str) -> str:
    parts = module.split(".")
    return parts[1] if len(parts) > 1 else parts[0]


def folder_of(module: str) -> str:
    parts = module.split(".")
    return parts[2] if len(parts) > 2 and parts[2] in CORE_FOLDERS else ""


def faults(module: str, tree: ast.Module) -> Iterator[str]:
    """The forbidden imports of a module."""
    package = package_of(module)
    for name in imported(module, tree):
        top = name.split(".")[0]
        if top != "agile_crate":
            allowed = ONLY_IN.get(top, set(MAY_IMPORT) if top in sys.stdlib_module_names else set())
            if package not in allowed:
                yield f"{module} imports {name}"
            if package == "core" and top in FILE_MODULES:
                yield f"{module} imports {name}: core knows no files"
        elif package_of(name) not in MAY_IMPORT[package] | {package}:
            yield f"{module} imports {name}: {package} stands below {package_of(name)}, or beside it"
        elif package == "core" and folder_of(name) not in (
            {"", folder_of(module)} | CORE_FOLDERS.get(folder_of(module), set())
        ):
            yield f"{module} imports {name}: that folder of core is not below"


@pytest.mark.parametrize("module", MODULES)
def test_arrows_point_down(module: str) -> None:
    assert list(faults(module, TREES[module])) == []


def test_the_plan_itself_has_no_circle() -> None:
    for plan in (MAY_IMPORT, CORE_FOLDERS):
        assert list(TopologicalSorter(plan).static_order())


def test_no_two_modules_import_each_other() -> None:
    graph = {
        module: {name for name in imported(module, tree) if name in MODULES and name != module}
        for module, tree in TREES.items()
    }
    for module in graph:  # a module may import its own package
        graph[module] -= {module.rpartition(".")[0]}
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as circle:
        pytest.fail(" → ".join(circle.args[1]))


def test_only_some_packages_open_files() -> None:
    for module, path in MODULES.items():
        if package_of(module) in FILES_OF | {"demo", "platform"}:
            continue
        text = path.read_text("utf-8")
        for node in ast.walk(TREES[module]):
            if isinstance(node, ast.Call):
                name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
                inside = package_of(module) in ("cli", "views") and ("resources" in text or "help_texts" in text)
                if isinstance(node.func, ast.Attribute) and ast.unparse(node.func) == "os.open":
                    continue  # the null device, after a broken pipe
                files = ("open", "read_bytes", "read_text", "write_bytes", "write_text")
                assert inside or name not in files, f"{module} opens a file"


def test_only_the_command_line_prints_and_exits() -> None:
    for module, tree in TREES.items():
        if package_of(module) == "cli" or module == "agile_crate.workers.processes":  # which ends those that it began
            continue
        calls = [node.func for node in ast.walk(tree) if isinstance(node, ast.Call)]
        assert not [call for call in calls if isinstance(call, ast.Name) and call.id in ("print", "exit", "quit")], (
            module
        )
        assert not [call for call in calls if isinstance(call, ast.Attribute) and call.attr in ("exit", "_exit")], (
            module
        )


def test_only_one_place_asks_for_what_some_systems_have() -> None:
    for module, tree in TREES.items():
        if module == "agile_crate.platform":
            continue
        for node in ast.walk(tree):
            asked = {getattr(node, "attr", "")} | {
                alias.name for alias in getattr(node, "names", ()) if hasattr(alias, "name")
            }
            assert not asked & SYSTEMS, f"{module} asks for {asked & SYSTEMS}"


def test_nothing_runs_what_a_text_says() -> None:
    for module, tree in TREES.items():
        for node in ast.walk(tree):
            called = ast.unparse(node.func) if isinstance(node, ast.Call) else ""
            assert called not in ("eval", "exec", "compile", "os.system", "os.popen", "marshal.loads"), module
            assert called != "pickle.loads" or module == "agile_crate.workers.processes", module  # of its own processes
            assert not any(key.arg == "shell" for key in getattr(node, "keywords", ())), module


MOST_PARAMETERS, MOST_LINES, LONGEST_FILE = 8, 60, 400
"""Of a function, a function, and a module."""

DOCUMENTED_ELSEWHERE = {
    "declare", "run", "fact", "decide", "apply", "submit", "shutdown", "write", "flush", "do_GET", "do_HEAD", "error", "main",
}  # fmt: skip
"""Functions of a protocol, which says what they do: of a command, a step, an executor, a stream, a parser."""

Function = tuple[str, ast.FunctionDef]


def functions() -> Iterator[Function]:
    for module, tree in TREES.items():
        yield from ((module, node) for node in ast.walk(tree) if isinstance(node, ast.FunctionDef))


def test_functions_and_files_are_short() -> None:
    for module, function in functions():
        arguments = function.args
        named = [one.arg for one in (*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs)]
        count = sum(name not in ("self", "cls") for name in named) + bool(arguments.vararg) + bool(arguments.kwarg)
        assert count <= MOST_PARAMETERS, f"{module}.{function.name} has {count} parameters"
        lines = (function.end_lineno or 0) - function.lineno + 1
        assert lines <= MOST_LINES, f"{module}.{function.name} has {lines} lines"
    for module, path in MODULES.items():
        assert path.read_text("utf-8").count("\n") <= LONGEST_FILE, f"{module} is too long"


def test_nothing_is_defined_twice() -> None:
    """A module that took in another could have two constants or functions of one name; the later would win unseen."""
    for module, tree in TREES.items():
        names: list[str] = []
        for node in tree.body:
            targets = node.targets if isinstance(node, ast.Assign) else [getattr(node, "target", None)]
            names += [
                one.id for target in targets for one in ast.walk(target or ast.Module()) if isinstance(one, ast.Name)
            ]
            names += [node.name] if isinstance(node, (ast.FunctionDef, ast.ClassDef)) else []
        assert len(names) == len(set(names)), f"{module}: {sorted(name for name in names if names.count(name) > 1)}"


def test_no_two_classes_share_a_name() -> None:
    owners: dict[str, str] = {}
    for module, tree in TREES.items():
        for node in ast.walk(tree):
            if isinstance(node, ast.ClassDef):
                other = owners.setdefault(node.name, module)
                assert other == module, f"{module} and {other} both have a class {node.name}"


def test_conditional_expressions_are_not_nested() -> None:
    for module, tree in TREES.items():
        for node in ast.walk(tree):
            if isinstance(node, ast.IfExp):
                assert not isinstance(node.body, ast.IfExp), f"{module}, line {node.lineno}"
                assert not isinstance(node.orelse, ast.IfExp), f"{module}, line {node.lineno}"


def test_public_functions_say_what_they_do() -> None:
    for module, tree in TREES.items():
        owners = [tree, *(node for node in tree.body if isinstance(node, ast.ClassDef))]
        for function in (node for owner in owners for node in owner.body if isinstance(node, ast.FunctionDef)):
            if not function.name.startswith("_") and function.name not in DOCUMENTED_ELSEWHERE:
                assert ast.get_docstring(function), f"{module}.{function.name} has no docstring"


TEMPLATED = {"UsageError", "InputError", "FitError", "OutputError", "PictureError", "FormError", "WrongKeyError"}


def test_templates_of_messages_are_constants() -> None:
    """A template that held somebody's text could hold braces."""
    for module, tree in TREES.items():
        for node in ast.walk(tree):
            if not isinstance(node, ast.Call) or module.endswith("core.message"):
                continue
            called = getattr(node.func, "id", "")
            values = node.args[1:] if called == "WrongKeyError" else node.args  # after the keys
            if (called == "message" and values) or (called in TEMPLATED and len(values) > 1):
                names = [one for one in ast.walk(values[0]) if isinstance(one, ast.FormattedValue)]
                assert not names, f"{module}, line {node.lineno}: pass values, and leave the template a constant"


@pytest.mark.parametrize(
    ("module", "line", "told"),
    [
        ("agile_crate.core.frame.trim", "from ...settings import table", "core stands below settings"),
        ("agile_crate.core.frame.trim", "def f():\n    from ..crate import draw", "that folder of core is not below"),
        ("agile_crate.core.names", "from .frame import trim", "that folder of core is not below"),
        ("agile_crate.core.names", "import pathlib", "core knows no files"),
        ("agile_crate.sources.find", "from ..exports.png import encode_png", "sources stands below exports"),
        ("agile_crate.pipeline.select", "from ..commands import pack", "pipeline stands below commands"),
        ("agile_crate.commands.pack", "import argparse", "imports argparse"),
        ("agile_crate.commands.pack", "import requests", "imports requests"),
        ("agile_crate.exports.png", "import scipy.ndimage", "imports scipy.ndimage"),
    ],
)
def test_a_wrong_import_is_found(module: str, line: str, told: str) -> None:
    (fault,) = faults(module, ast.parse(line))
    assert told in fault
