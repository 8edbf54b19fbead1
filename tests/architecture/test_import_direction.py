"""Imports go one way: web and command line -> jobs -> store -> core, and inside core towards geometry."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "dynaclast"
LAYERS = {
    "core": {"core"},
    "store": {"store", "core"},
    "jobs": {"jobs", "store", "core", "files", "runtime", "keys"},
    "web": {"web", "jobs", "store", "core"},
}
CORE = {
    "arrays": set(),
    "errors": set(),
    "kernels": {"arrays"},
    "document": {"errors"},
    "geometry": {"arrays", "document", "errors", "kernels"},
    "remembered": set(),
    "falloff": {"arrays", "document", "errors", "geometry", "kernels", "remembered"},
    "fracture": {"arrays", "document", "errors", "falloff", "geometry", "kernels"},
    "materials": {"document"},
    "timeline": {"arrays", "document", "geometry"},
    "layout": {"arrays", "document", "errors", "falloff", "fracture", "geometry", "timeline"},
    "fields": {"arrays", "document", "falloff", "geometry", "timeline"},
    "formats": {"arrays", "document", "errors", "fracture", "geometry"},
    "solve": {
        "arrays",
        "document",
        "errors",
        "falloff",
        "fields",
        "fracture",
        "geometry",
        "kernels",
        "layout",
        "timeline",
    },
    "preflight": {"arrays", "document", "errors", "fields", "falloff", "fracture", "geometry", "solve", "timeline"},
    "bake": {"document", "errors", "formats", "fracture", "solve"},
    "settling": {"arrays", "document", "errors", "fracture", "layout", "solve"},
}
FORBIDDEN_IN_CORE = {
    "flask",
    "sqlalchemy",
    "pymysql",
    "dask",
    "distributed",
    "pathlib",
    "os",
    "time",
    "datetime",
    "socket",
    "subprocess",
    "sys",
}


OPENS_A_PATH = {
    "CreateNew",
    "FindOrOpen",
    "Export",
    "fromfile",
    "tofile",
    "loadtxt",
    "savetxt",
    "read_bytes",
    "write_bytes",
}


@cache
def nodes_of(path: Path) -> list[ast.AST]:
    """Of its syntax tree, which is read once."""
    return list(ast.walk(ast.parse(path.read_text())))


def imports(path: Path) -> Iterator[tuple[str, ...]]:
    """Absolute dotted names a file imports, as tuples."""
    package = ("dynaclast", *path.relative_to(SOURCE).parts[:-1])
    for node in nodes_of(path):
        if isinstance(node, ast.Import):
            for alias in node.names:
                yield tuple(alias.name.split("."))
        elif isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else ()
            module = (*base, *(node.module.split(".") if node.module else ()))
            if node.module is None or module == ("dynaclast",) or module == ("dynaclast", "core"):
                for alias in node.names:
                    yield (*module, alias.name)
            else:
                yield module


def test_layers_import_downwards_only() -> None:
    wrong = []
    for layer, allowed in LAYERS.items():
        for path in (SOURCE / layer).rglob("*.py"):
            for name in imports(path):
                if name[0] == "dynaclast" and len(name) > 1 and name[1] not in allowed and name[1] != "__version__":
                    wrong.append(f"{path.relative_to(SOURCE)} imports {'.'.join(name)}")
    assert not wrong


def test_core_parts_import_as_the_picture_says() -> None:
    wrong = []
    for path in (SOURCE / "core").rglob("*.py"):
        part = path.relative_to(SOURCE / "core").parts[0].removesuffix(".py")
        if part == "__init__":
            continue
        for name in imports(path):
            if name[:2] == ("dynaclast", "core") and len(name) > 2 and name[2] != part and name[2] not in CORE[part]:
                wrong.append(f"{path.relative_to(SOURCE)} imports {'.'.join(name)}")
    assert not wrong


def test_core_touches_no_files_clock_web_or_database() -> None:
    wrong = []
    for path in (SOURCE / "core").rglob("*.py"):
        wrong += [f"{path.name} imports {name[0]}" for name in imports(path) if name[0] in FORBIDDEN_IN_CORE]
        calls = [n.func.id for n in nodes_of(path) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)]
        wrong += [f"{path.name} calls {c}" for c in calls if c in ("open", "eval", "exec", "print")]
        attributes = [n.attr for n in nodes_of(path) if isinstance(n, ast.Attribute)]
        wrong += [f"{path.name} opens a path by {a}" for a in attributes if a in OPENS_A_PATH]
    assert not wrong


def test_kernels_are_compiled_in_one_way() -> None:
    """A kernel compiled otherwise counts references, or forgets to keep its machine code."""
    wrong = [
        str(p.relative_to(SOURCE))
        for p in SOURCE.rglob("*.py")
        if any(name[0] == "numba" for name in imports(p))
        and p.parent != SOURCE / "core" / "kernels"
        and p != SOURCE / "core" / "__init__.py"
    ]
    assert not wrong


def test_only_the_viewport_knows_the_drawing_library() -> None:
    ui = SOURCE.parents[1] / "ui" / "src"
    wrong = [
        p.name
        for p in ui.rglob("*")
        if p.suffix in (".ts", ".vue")
        and "viewport" not in p.parts
        and ('from "three' in p.read_text() or "camera-controls" in p.read_text())
    ]
    assert not wrong


def module_graph() -> dict[str, set[str]]:
    """Every module of the package and the modules it imports when it is loaded."""
    names = {
        ".".join(("dynaclast", *p.relative_to(SOURCE).with_suffix("").parts)).removesuffix(".__init__"): p
        for p in SOURCE.rglob("*.py")
    }
    graph: dict[str, set[str]] = {}
    for name, path in names.items():
        found: set[str] = set()
        package = name.split(".") if path.name == "__init__.py" else name.split(".")[:-1]
        for node in ast.parse(path.read_text()).body:
            if not isinstance(node, ast.ImportFrom):
                continue
            base = package[: len(package) - node.level + 1] if node.level else []
            module = ".".join([*base, *(node.module.split(".") if node.module else [])])
            for alias in node.names:
                whole = f"{module}.{alias.name}"
                found.add(whole if whole in names else module)
        graph[name] = {m for m in found if m in names and m != name}
    return graph


def test_no_module_imports_itself_by_a_circle() -> None:
    graph = module_graph()
    done: set[str] = set()

    def follow(name: str, way: list[str]) -> None:
        if name in way:
            raise AssertionError(" -> ".join([*way[way.index(name) :], name]))
        if name in done:
            return
        for other in sorted(graph[name]):
            follow(other, [*way, name])
        done.add(name)

    for name in sorted(graph):
        follow(name, [])
