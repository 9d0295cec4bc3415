"""The arrows of the house, held by import-linter; and that its contracts can fail."""

import configparser
import subprocess
import sys
from pathlib import Path

import grimp
import networkx

from iskelo.command.places import ROOT


def lint(config: Path) -> subprocess.CompletedProcess[str]:
    tool = Path(sys.executable).parent / "lint-imports"
    words = [str(tool), "--config", str(config), "--no-cache"]
    return subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)


def test_arrows_point_one_way_and_the_twin_borrows_no_prediction() -> None:
    done = lint(ROOT / "pyproject.toml")
    assert done.returncode == 0, done.stdout
    assert "The twin works by its own mechanism and borrows no prediction KEPT" in done.stdout


def test_no_modules_import_each_other_in_a_circle() -> None:
    """Outside check: networkx.simple_cycles over what grimp finds imported."""
    graph = grimp.build_graph("iskelo", cache_dir=None, exclude_type_checking_imports=True)
    imports = networkx.DiGraph(
        (module, other) for module in graph.modules for other in graph.find_modules_directly_imported_by(module)
    )
    assert next(iter(networkx.simple_cycles(imports)), None) is None


SHARED = {
    *(
        "clocks",
        "drivers",
        "gear",
        "index",
        "links",
        "syncs",
        "mixers",
        "outboard",
        "ports",
        "programs",
        "rig",
        "device_streams",
    ),
}
"""What both the prediction and the twin read of a rig (argued in ``docs/architecture.md``)."""


def test_the_twin_shares_with_the_prediction_only_what_the_docs_say() -> None:
    graph = grimp.build_graph("iskelo", cache_dir=None, exclude_type_checking_imports=True)
    twin = [module for module in graph.modules if module.startswith("iskelo.core.twin.")]
    borrowed = {other for module in twin for other in graph.find_modules_directly_imported_by(module)}
    outside = {each for each in borrowed if not each.startswith("iskelo.core.twin")} - {"iskelo.core.fractional_delay"}
    assert outside == {f"iskelo.core.rig.{module}" for module in SHARED}
    said = (ROOT / "docs" / "architecture.md").read_text()
    assert all(f"`{module}.py`" in said for module in SHARED)


def test_a_forbidden_arrow_is_found(tmp_path: Path) -> None:
    """The same linter on a contract that the code does break: it must say so."""
    config = configparser.ConfigParser()
    config["importlinter"] = {"root_package": "iskelo"}
    config["importlinter:contract:x"] = {
        "name": "The line check does not use the twin",
        "type": "forbidden",
        "source_modules": "iskelo.core.linecheck",
        "forbidden_modules": "iskelo.core.twin",
    }
    path = tmp_path / "broken.ini"
    with path.open("w") as file:
        config.write(file)
    done = lint(path)
    assert done.returncode != 0
    assert "BROKEN" in done.stdout
