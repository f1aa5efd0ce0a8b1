"""Takes docs/screenshots anew from the demo reel: `QT_QPA_PLATFORM=offscreen python tools/take_pictures.py`."""

from __future__ import annotations

import json
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"
SCREEN = {"name": "s", "x": 0, "y": 0, "width": 1280, "height": 800, "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}
HOME = Path(tempfile.gettempdir()) / "port-ellery"  # stands in a picture
shutil.rmtree(HOME, ignore_errors=True)
HOME.mkdir()
(HOME / "screen.json").write_text(json.dumps({"screens": [SCREEN]}))
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={HOME / 'screen.json'}"
os.environ["XDG_DATA_HOME"] = str(HOME / "data")

import pypdfium2  # noqa: E402
from PySide6.QtCore import QEventLoop, QPointF, QSettings, Qt, QTimer  # noqa: E402 - the screen has to be known before Qt is loaded
from PySide6.QtGui import QGuiApplication  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402

from grevin.core.measure.area import Box  # noqa: E402
from grevin.core.progress import Progress  # noqa: E402
from grevin.core.treatment.regions import Region  # noqa: E402
from grevin.demo.making import make_demo  # noqa: E402
from grevin.desktop.light_table.painting import target  # noqa: E402
from grevin.desktop.light_table.view import View  # noqa: E402
from grevin.desktop.light_table.wipe import Wipe  # noqa: E402
from grevin.desktop.main import make_application  # noqa: E402
from grevin.desktop.window import Window  # noqa: E402

FRAME = 62
CLOSE = 3.0
HAIR_FRAME, HAIR = 60, ((350.0, 333.0), (376.0, 385.0), (420.0, 462.0), (464.0, 546.0))  # of the first reel
SPECK = ((296.0, 606.0), (300.0, 614.0))
BAD = (26, 27)  # frames of the ferry's reel at the pause
FERRY = (0.36, 0.62)  # where it lies in the picture
AROUND_BOAT = Region(
    use="protect", shape="polygon", points=((400, 330), (560, 330), (640, 600), (360, 600)), feather_px=8
)


def wait(milliseconds: int) -> None:
    """Let the window work."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def settle(window: Window) -> None:
    """Until nothing is being made any more."""
    wait(300)
    while window.opening.busy or window.bench.busy or window.output.writing or window.survey.busy:
        wait(50)
    wait(300)


def picture(window: Window, name: str, *acts: str | Callable[[], object]) -> None:
    """Do something, then take a picture."""
    settle(window)
    for act in acts:
        window.do(act) if isinstance(act, str) else act()
        settle(window)
    window.grab().save(str(FOLDER / f"{name}.png"))


def look_close(window: Window) -> None:
    """Three hundred percent, at the longest thing that was found."""
    look = window.bench.table.look
    assert look is not None
    assert look.evidence is not None
    x, y, wide, high = max(look.evidence.blobs, key=lambda blob: blob.area[2] + blob.area[3]).area
    fmt = look.source.format
    view = View(CLOSE, (x + wide / 2) / fmt.width, (y + high / 2) / fmt.height)
    window.bench.table.show_view(view)
    window.bench.table.view_changed.emit(view)


def point_at_doubtful(window: Window) -> None:
    """Close to the first doubtful speck."""
    window.do("doubt_on")
    settle(window)
    picked = window.bench.specks.picked
    assert picked is not None
    x, y, wide, high = picked.area
    fmt = window.bench.table.look.source.format  # type: ignore[union-attr]
    view = View(2.0, (x + wide / 2) / fmt.width, (y + high / 2) / fmt.height)
    window.bench.table.show_view(view)
    window.bench.table.view_changed.emit(view)


def box_in_sight(window: Window) -> Box:
    """A box in the middle of what is seen."""
    seen = window.bench.table.visible_box()
    assert seen is not None
    return Box(seen.x + seen.width // 3, seen.y + seen.height // 3, seen.width // 5, seen.height // 4)


def choose_setting(window: Window, words: str) -> None:
    """Another setting for the test strip."""
    choice = window.bench.value_strip.choice
    choice.setCurrentIndex(choice.findText(words))
    choice.activated.emit(choice.currentIndex())


def survey_and_report(window: Window) -> None:
    """The Survey with findings gone through, its shots, and the first page of the report."""
    session, place = window.session, window.survey
    window.do("survey")
    while window.surveying.running:
        wait(100)
    session.go(171)
    settle(window)
    picture(window, "survey", "go_survey", "doubt_on", "leave", "mend", "mend")
    session.go(FRAME)
    window.do("mark")
    session.parts.name(0, name="the quay")
    session.parts.name(1, name="the tram")
    session.parts.name(2, name="the regatta")
    session.parts.name(3, name="the ferry")
    place.shots.table.topLevelItem(1).setSelected(True)
    picture(window, "survey-shots", lambda: place.show_page(1), lambda: place.shots.do("accept"))
    place.condition.write(HOME / "report.pdf")
    settle(window)
    document = pypdfium2.PdfDocument(HOME / "report.pdf")
    document[0].render(scale=1.4).to_pil().save(str(FOLDER / "report.png"))
    document.close()
    while session.job_file is not None and session.job_file.undo_label() not in {None, "New job"}:
        session.undo()
    place.show_page(0)


def open_reel_named(window: Window, name: str) -> None:
    """Another reel of the job."""
    names = [reel.title for reel in window.session.document.reels]
    window.opening.open_reel(names.index(name))
    settle(window)
    while window.taking_in.busy:
        wait(100)
    window.do("go_bench")


def drag(window: Window, *way: tuple[float, float]) -> None:
    """Drag on the light table, from pixel to pixel of the picture."""
    table = window.bench.table
    place = target(table.view, table.size_of_picture(), table.panes()[0])
    scale = table.scale()
    points = [QPointF(place.left() + x * scale, place.top() + y * scale).toPoint() for x, y in way]
    QTest.mousePress(table, Qt.MouseButton.LeftButton, pos=points[0])
    for point in points[1:]:
        QTest.mouseMove(table, point)
    QTest.mouseRelease(table, Qt.MouseButton.LeftButton, pos=points[-1])
    settle(window)


def time_put_right(window: Window) -> None:
    """The reels whose time is to be put right."""
    session = window.session
    open_reel_named(window, "harbour-super8-captures")
    picture(window, "pick", lambda: session.go(84), lambda: session.add_step("pick"), "step_forward")
    open_reel_named(window, "ferry-with-a-pause")
    picture(window, "splice", "evidence", lambda: session.add_step("rebuild"), lambda: session.go(BAD[0]),
            "make_anew", lambda: session.go(BAD[1]),
            "make_anew", "splice", lambda: look_at(window, FERRY))  # fmt: skip


def look_at(window: Window, point: tuple[float, float]) -> None:
    """A hundred percent, at a place of the picture."""
    view = View(1.0, *point)
    window.bench.table.show_view(view)
    window.bench.table.view_changed.emit(view)


def light_at_rest(window: Window) -> None:
    """A lamp in one corner: what was measured, what is left, and the wipe over it."""
    open_reel_named(window, "tram-under-a-lamp")
    window.do("go_bench")
    window.session.add_step("flicker")
    settle(window)
    window.session.go(30)
    settle(window)
    window.do("measure_left")
    while window.bench.left.busy:
        wait(100)
    picture(window, "bench-wipe", "zoom_fit", "wipe",
            lambda: window.bench.looking.move_wipe(Wipe(0.5, 0.5, 25.0)))  # fmt: skip


def noise_and_scratches(window: Window) -> None:
    """The quay by night under noise that stands still; the scratched regatta."""
    for name, step, shown in (("quay-by-night", "noise", "noise"), ("regatta-with-scratches", "scratch", "scratches")):
        open_reel_named(window, name)
        window.do("go_bench")
        window.session.add_step(step)
        settle(window)
        window.session.go(30)
        picture(window, shown, "one_picture", "wipe", "evidence",
                lambda: window.bench.looking.move_wipe(Wipe(0.5, 0.5, 0.0)))  # fmt: skip
        window.do("evidence")


def retouched(window: Window) -> None:
    """What the machine left on the first reel, drawn over by hand; one stroke filled from another place."""
    open_reel_named(window, "port-ellery-reel")
    session, table = window.session, window.bench.table
    picture(window, "retouch", "zoom_fit", "one_picture", "one_picture", lambda: session.add_step("retouch"),
            lambda: session.go(HAIR_FRAME), "retouch_brush", lambda: drag(window, *HAIR),
            lambda: table.take_tool(None), "retouch_brush", lambda: drag(window, *SPECK),
            lambda: window.bench.path.card(1).panel.fill_changed.emit({"way": "place"}))  # fmt: skip


def enlarged(window: Window) -> None:
    """The harbour at twice its size, beside the source at one scale."""
    open_reel_named(window, "harbour-with-ragged-sides")
    window.do("go_bench")
    window.session.add_step("enlarge")
    window.session.go(20)
    settle(window)
    while window.bench.studying.busy:
        wait(100)
    settle(window)
    if window.bench.looking.ways.compare != "wipe":
        window.do("wipe")
    window.bench.table.show_view(View(zoom=2.0, x=0.42, y=0.42))
    picture(window, "enlarge", lambda: window.bench.looking.move_wipe(Wipe(0.5, 0.5, 0.0)))


def take_all(window: Window) -> None:
    """Every main view."""
    picture(window, "start")
    window.open(make_demo(HOME / "demo", Progress(), every=True).job)
    settle(window)
    while window.taking_in.busy:
        wait(100)
    session, bench = window.session, window.bench
    while session.treatment.steps:
        session.remove_step(1)
    session.go(FRAME)
    picture(window, "bench-evidence", lambda: session.add_step("dirt"), "evidence")
    picture(window, "regions", "zoom_fit", "one_picture", lambda: bench.regions.add(AROUND_BOAT), "draw_polygon")
    picture(window, "verdicts", "one_picture", "undo", "zoom_fit", lambda: point_at_doubtful(window))
    picture(window, "bench-taken-away", "zoom_fit", "mask", "mask", "taken")
    picture(window, "test-strip", "one_picture", lambda: look_close(window), "evidence", "test_strip",
            lambda: choose_setting(window, "Threshold"),
            lambda: bench.value_strip.last.setValue(14.0))  # fmt: skip
    picture(window, "measuring-and-scopes", "test_strip", "one_picture", lambda: session.count_in("timecode"),
            "measure", lambda: bench.measuring.show_box(box_in_sight(window)), "scopes",
            "luma", lambda: bench.player.set_loop(range(40, 90)))  # fmt: skip
    picture(window, "intake", "one_picture", "one_picture", "scopes", lambda: session.count_in("frames"),
            lambda: session.declare(gauge="16 mm", running_speed="16", field_order="top_first"),
            "go_intake")  # fmt: skip
    session.undo()
    survey_and_report(window)
    picture(window, "output", "go_output", lambda: window.output.last.setValue(9), lambda: window.output.start())
    light_at_rest(window)
    noise_and_scratches(window)
    time_put_right(window)
    retouched(window)
    enlarged(window)


def main() -> int:
    """Take them."""
    make_application()
    window = Window(QSettings(str(HOME / "settings.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    assert QGuiApplication.primaryScreen().size().width() == SCREEN["width"]
    take_all(window)
    window.close()
    shutil.rmtree(HOME, ignore_errors=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
