"""Photographs that networks are trained on: of registry packages, none of them among the bench's clips.

Authors and licences are those that the packages name.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from bench.fetching import fetched

LOMIRI = "usr/share/backgrounds"
PLASMA = "usr/share/wallpapers"
JXL = "usr/share/libjxl-testdata"
UKUI = "usr/share/backgrounds"

Luma = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Photograph:
    """One of them.

    Attributes:
        package: as in `bench.fetching.FETCHERS`.
        file: path inside it.
        author, licence: of the photograph.
    """

    package: str
    file: str
    author: str
    licence: str


def _lomiri(year: str, file: str, author: str, licence: str) -> Photograph:
    return Photograph(f"lomiri-wallpapers-{year}", f"{LOMIRI}/{file}.jpg", author, licence)


def _plasma(name: str, author: str) -> Photograph:
    file = f"{PLASMA}/{name}/contents/images/2560x1600.jpg"
    return Photograph("plasma-workspace-wallpapers", file, author, "LGPL-3.0")


def _wesaturate(file: str) -> Photograph:
    return Photograph("libjxl-testdata", f"{JXL}/external/wesaturate/500px/{file}_srgb8.png", "not named", "CC0-1.0")


TRAINING = (
    _lomiri("16.04", "Bridge_by_Sander_Klootwijk", "Sander Klootwijk", "CC-BY-SA-4.0"),
    _lomiri("16.04", "Dragonfly_by_Bolly", "Bolly", "CC-BY-SA-4.0"),
    _lomiri("16.04", "Picture_0B_by_freespace", "Trevor “Freespace”", "CC-BY-4.0"),
    _lomiri("16.04", "Picture_1A_by_freespace", "Trevor “Freespace”", "CC-BY-4.0"),
    _lomiri("16.04", "Wine_by_Jakkub_Mede", "Jakub Mede", "CC-BY-4.0"),
    _lomiri("16.04", "aitzgorri_by_Aitzol_Berasategi", "Aitzol Berasategi", "CC-BY-4.0"),
    _lomiri("16.04", "analogpattern_by_Peter_Nerlich", "Peter Nerlich", "CC-BY-SA-4.0"),
    _lomiri("16.04", "free_by_Peter_Nerlich", "Peter Nerlich", "CC-BY-SA-4.0"),
    _lomiri("16.04", "friends_by_Aitzol_Berasategi", "Aitzol Berasategi", "CC-BY-4.0"),
    _lomiri("16.04", "greentock_by_Peter_Nerlich", "Peter Nerlich", "CC-BY-SA-4.0"),
    _lomiri("16.04", "life_by_Aitzol_Berasategi", "Aitzol Berasategi", "CC-BY-4.0"),
    _lomiri("16.04", "picosdeeuropa_by_Aitzol_Berasategi", "Aitzol Berasategi", "CC-BY-4.0"),
    _lomiri("16.04", "seeding_by_Clements_Engelhardt", "Clemens Engelhardt", "CC0-1.0"),
    _lomiri("16.04", "sunset_by_Aitzol_Berasategi", "Aitzol Berasategi", "CC-BY-4.0"),
    _lomiri("16.04", "umang_by_Abhishek_Mudgal", "Abhishek Mudgal", "CC-BY-4.0"),
    _lomiri("20.04", "Fossa_by_Jasper_Roks", "Jasper Roks", "CC-BY-SA-3.0"),
    _lomiri("20.04", "Infinite-Sea_by_Aury88", "Aury88", "CC-BY-SA-3.0"),
    _lomiri("20.04", "Kleiber_by_Lukas_Baubkus", "Lukas Baubkus", "CC-BY-SA-3.0"),
    _lomiri("20.04", "Painting-Colors_by__herobrine7gamer", "HEROBRINE7GAMER", "CC-BY-SA-3.0"),
    _plasma("Autumn", "RJ Quiralta"), _plasma("BytheWater", "Maciej Wiklo"), _plasma("ColorfulCups", "Dmitri Popov"),
    _plasma("EveningGlow", "Ian Hex"), _plasma("FallenLeaf", "Martin Klapetek"),
    _plasma("OneStandsOut", "Risto Saukonpää"), _plasma("Path", "Risto Saukonpää"),
    _plasma("summer_1am", "Risto Saukonpää"),
    _wesaturate("cvo9xd_keong_macan"), _wesaturate("tmshre_riaphotographs"), _wesaturate("u76c0g_bliznaca"),
    Photograph("libjxl-testdata", f"{JXL}/jxl/flower/flower.png", "the JPEG XL Project Authors", "BSD-3-Clause"),
    Photograph("ukui-wallpapers", f"{UKUI}/goldfish.png", "Ubuntu Kylin community", "CC-BY-SA-3.0"),
)  # fmt: skip


def planes_of(photograph: Photograph, height: int) -> list[Luma]:
    """Luma at a height (never enlarged), and both colour differences at half of it: (H, W) float32, 8-bit levels.

    Raises:
        ClipUnavailableError: if the photograph cannot be fetched.
        ValueError: if it is no picture.
    """
    path = fetched(photograph.package, photograph.file)
    picture = cv2.imread(str(path), cv2.IMREAD_COLOR)
    if picture is None:
        raise ValueError(f"{path.name} is no picture")
    scale = min(1.0, height / picture.shape[0])
    size = round(picture.shape[1] * scale), round(picture.shape[0] * scale)
    planes = cv2.split(cv2.cvtColor(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), cv2.COLOR_BGR2YCrCb))
    half = size[0] // 2, size[1] // 2
    small = [cv2.resize(plane, half, interpolation=cv2.INTER_AREA) for plane in planes[1:]]
    return [np.asarray(plane, np.float32) for plane in (planes[0], *small)]
