"""Versions: names by pattern, running numbers, a person's own."""

from __future__ import annotations

from pathlib import Path

import pytest

from grevin.core.errors import UsageError
from grevin.core.job.document import Job
from grevin.core.job.job_file import JobFile
from grevin.core.job.orders import order_of_version
from grevin.core.render.versions import VERSIONS, OwnVersions, Version, own_version, user_versions, version_named


def test_names_get_running_numbers_where_they_are_taken(tmp_path: Path) -> None:
    video, pictures = version_named("ffv1"), version_named("tiff")
    assert video.free_path(tmp_path, "box-7") == tmp_path / "box-7-treated.mkv"
    (tmp_path / "box-7-treated.mkv").write_text("")
    taken = {tmp_path / "box-7-2-treated.mkv"}
    assert video.free_path(tmp_path, "box-7", taken) == tmp_path / "box-7-3-treated.mkv"
    first = pictures.free_path(tmp_path, "box-7")
    assert first == tmp_path / "box-7-treated" / "box-7.%06d.tif"
    first.parent.mkdir()
    assert pictures.free_path(tmp_path, "box-7") == first, "an empty folder is free"
    (first.parent / "box-7.000000.tif").write_text("")
    assert pictures.free_path(tmp_path, "box-7").parent.name == "box-7-2-treated"


HOSTILE = (
    "plain.mkv", "/etc/{stem}.mkv", "../{stem}.mkv", "{stem}/../../a.mkv", ".{stem}.mkv", "{stem.__class__}.mkv",
    "{stem}-{0}.mkv",
)  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_patterns_are_refused(name: str) -> None:
    with pytest.raises(ValueError, match="“"):
        Version(id="a", label="a", name=name)


def test_a_stem_stays_in_the_folder(tmp_path: Path) -> None:
    assert version_named("ffv1").path(tmp_path, "../../{stem}%s").parent == tmp_path


def test_own_versions_are_kept_changed_and_forgotten(tmp_path: Path) -> None:
    own = OwnVersions(tmp_path / "new" / "versions.json")
    assert own.all() == ()
    copy = own_version(
        "For the quay", tmp_path / "box-7 quay.mp4", "box-7", coding_id="h264", quality="small", ledger=True
    )
    assert copy.name == "{stem} quay.mp4"
    own.keep(copy)
    pictures = own_version(" Stills  ", tmp_path / "box-7 stills" / "box-7.%04d.dpx", "box-7")
    assert (pictures.label, pictures.name) == ("Stills", "{stem} stills/{stem}.%04d.dpx")
    own.keep(pictures)
    assert own.all() == (copy, pictures)
    own.keep(copy.model_copy(update={"quality": "fine"}))
    assert [one.quality for one in own.all()] == ["fine", "fine"]
    own.forget("Stills")
    assert [one.id for one in own.all()] == ["For the quay"]


def test_a_name_without_the_materials_gets_it(tmp_path: Path) -> None:
    assert own_version("a", tmp_path / "final.mkv", "box-7").name == "{stem}-final.mkv"
    for label in ("", "  ", "ffv1"):
        with pytest.raises(UsageError, match="cannot be called"):
            own_version(label, tmp_path / "a.mkv", "a")
    with pytest.raises(UsageError, match="is no coding"):
        own_version("b", tmp_path / "a.mkv", "a", coding_id="reel")


OUTSIDE = '{"format": "grevin-versions", "version": 1, "versions": [{"id": "a", "label": "a", "name": "../{stem}"}]}'
BROKEN = ("", "{", "[]", '{"format": "grevin-versions", "version": 2}', '{"format": "other"}', OUTSIDE)


@pytest.mark.parametrize("text", BROKEN)
def test_a_file_that_cannot_be_understood_is_said_and_left(tmp_path: Path, text: str) -> None:
    path = tmp_path / "versions.json"
    path.write_text(text)
    with pytest.raises(UsageError, match="cannot be read"):
        OwnVersions(path).all()
    with pytest.raises(UsageError, match="cannot be read"):
        OwnVersions(path).keep(VERSIONS[0])
    assert path.read_text() == text


def test_a_version_orders_a_reel_of_a_job(tmp_path: Path) -> None:
    JobFile.create(tmp_path / "a.grevin", Job().with_added([tmp_path / "quay.mkv"])).close()
    wanted = {"coding_id": "h264", "quality": "small", "sound": "never", "evidence": True}
    user_versions().keep(own_version("Look", tmp_path / "quay look.mp4", "quay", **wanted))
    order = order_of_version(tmp_path / "a.grevin", 0, version_named("Look"), None, first=3, stop=9)
    assert order.output == str(tmp_path / "quay look.mp4")
    assert (order.coding, order.quality, order.sound, order.first, order.stop) == ("h264", "small", "never", 3, 9)
    assert (order.evidence, order.ledger) == (str(tmp_path / "quay look-evidence"), "")
    with pytest.raises(UsageError, match=r"Give one of ffv1, .*, Look\."):
        version_named("nothing")
