"""What a desktop finds of Grevin: menu entry, icon, kind of file, description, manual page."""

from __future__ import annotations

import configparser
import subprocess
import sys
import tomllib
from importlib.resources import files
from pathlib import Path
from xml.etree import ElementTree as ET

import pytest

from grevin import __version__
from grevin.cli.main import app
from grevin.cli.menus import PLACES
from tests.cli.test_commands import call

ROOT = Path(__file__).parents[2]


@pytest.mark.reference
def test_files_are_what_the_specifications_ask_for() -> None:
    """Desktop Entry 1.5, Shared MIME-info 0.21, AppStream 1.0 (freedesktop.org, from memory)."""
    held = files("grevin.installed")
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str  # type: ignore[assignment, method-assign]
    entry.read_string(held.joinpath("grevin.desktop").read_text())
    words = entry["Desktop Entry"]
    assert {"Type", "Name", "Exec", "Icon", "Categories", "MimeType"} <= set(words)
    assert words["Categories"].endswith(";")
    assert words["Exec"].split() == ["grevin", "open", "%f"]
    kind = ET.fromstring(held.joinpath("grevin.xml").read_text())
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    (named,) = kind.findall(f"{space}mime-type")
    assert f"{named.get('type')};" == words["MimeType"]
    assert [glob.get("pattern") for glob in named.findall(f"{space}glob")] == ["*.grevin"]
    about = ET.fromstring(held.joinpath("org.grevin.Grevin.metainfo.xml").read_text())
    for tag in ("id", "metadata_license", "project_license", "name", "summary", "description", "content_rating"):
        assert about.find(tag) is not None
    assert about.findtext("launchable") == "grevin.desktop"
    assert about.find("releases/release").get("version") == __version__  # type: ignore[union-attr]
    licence = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["license"]
    assert about.findtext("project_license") == licence


def test_the_manual_page_says_every_command_as_it_is_now() -> None:
    subprocess.run([sys.executable, str(ROOT / "tools/write_man_page.py"), "--check"], check=True)
    page = files("grevin.installed").joinpath("grevin.1").read_text()
    assert all(f".SS {command.name}" in page for command in app.registered_commands)


def test_menus_are_filled_and_emptied(capsys, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    assert call(capsys, "menus")[0] == 0
    there = {str(path.relative_to(tmp_path / "data")) for path in (tmp_path / "data").rglob("*") if path.is_file()}
    assert there >= set(PLACES.values())
    assert "open %f" in (tmp_path / "data/applications/grevin.desktop").read_text()
    assert call(capsys, "menus", "--remove")[0] == 0
    assert not [place for place in PLACES.values() if (tmp_path / "data" / place).exists()]
    (tmp_path / "data").rename(tmp_path / "away")
    (tmp_path / "data").write_text("in the way")
    status, _, err = call(capsys, "menus")
    assert (status, "cannot be written" in err) == (2, True)


def test_a_shell_completes_commands(tmp_path: Path) -> None:
    told = subprocess.run(
        [sys.executable, "-c", "import sys; sys.argv[0] = 'grevin'; from grevin.cli.main import main; main()"],
        env={"_GREVIN_COMPLETE": "complete_bash", "COMP_WORDS": "grevin ver", "COMP_CWORD": "1", "PATH": "/usr/bin"},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert told.stdout.split() == ["verify"]
