"""The documents tell the truth: generated pages are fresh, links lead somewhere, words match the code."""

from __future__ import annotations

import re
import subprocess
import tomllib
from pathlib import Path

import pytest

from grevin.core.errors import ExitStatus
from grevin.core.steps.manual import manual_page
from grevin.core.steps.registry import REGISTRY

ROOT = Path(__file__).parent.parent.parent
PAGES = sorted([*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")])


@pytest.mark.parametrize("step", sorted(REGISTRY.steps))
def test_step_pages_are_fresh(step: str) -> None:
    page = (ROOT / "docs" / "steps" / f"{step}.md").read_text()
    assert page.startswith(manual_page(REGISTRY.steps[step])), "run tools/write_step_pages.py"


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
        if not target.startswith("http"):
            assert (page.parent / target).exists(), target


def test_exit_codes_are_documented() -> None:
    text = (ROOT / "docs" / "formats.md").read_text().split("## Exit codes")[1]
    for status in ExitStatus:
        assert re.search(rf"\b{int(status)} ", text), status


def test_decisions_are_short() -> None:
    for page in (ROOT / "docs" / "decisions").glob("*.md"):
        assert len(page.read_text().splitlines()) <= 40


def test_pictures_stay_few() -> None:
    assert len(list((ROOT / "docs" / "screenshots").glob("*.png"))) < 20


def test_locked_versions_lie_in_their_ranges() -> None:
    from packaging.requirements import Requirement

    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    for lock, wanted in (
        ("requirements.lock", project["dependencies"]),
        ("requirements-test.lock", project["dependencies"] + project["optional-dependencies"]["test"]),
    ):
        lines = [line for line in (ROOT / lock).read_text().splitlines() if "==" in line]
        locked = {
            re.sub(r"[-_.]+", "-", name).lower(): version for name, version in (line.split("==") for line in lines)
        }
        for text in wanted:
            requirement = Requirement(text)
            assert requirement.specifier.contains(locked[re.sub(r"[-_.]+", "-", requirement.name).lower()]), text


def test_scripts_are_sound_shell() -> None:
    for name in ("start", "check", "tools/setup.sh", ".ci/run"):
        assert subprocess.run(["sh", "-n", ROOT / name], check=False).returncode == 0
