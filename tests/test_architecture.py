"""The arrows of the house, held by import-linter; and that its contracts can fail."""

import configparser
import subprocess
import sys
from pathlib import Path

from iskelo.command.places import ROOT


def lint(config: Path) -> subprocess.CompletedProcess[str]:
    tool = Path(sys.executable).parent / "lint-imports"
    words = [str(tool), "--config", str(config), "--no-cache"]
    return subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)


def test_arrows_point_one_way_and_the_twin_borrows_no_prediction() -> None:
    done = lint(ROOT / "pyproject.toml")
    assert done.returncode == 0, done.stdout
    assert "The twin works by its own mechanism and borrows no prediction KEPT" in done.stdout


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
