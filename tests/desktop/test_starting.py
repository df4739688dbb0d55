"""The program as it is started: it holds its project against a second one, and closing asks whatever goes wrong."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from agile_shadow.core.errors import ShadowError
from agile_shadow.core.project import ProjectLock, load_project
from agile_shadow.core.project import session as session_module
from agile_shadow.core.project.lock import WINDOW
from agile_shadow.desktop.starting import take_project
from tests.desktop.conftest import Opener
from tests.desktop.test_lasting import edited, when_asked
from tests.until import until


def test_the_program_starts_holds_its_project_and_lets_go_of_it_however_it_ends(film: Path, tmp_path: Path) -> None:
    log = (tmp_path / "said").open("wb")
    values = {**os.environ, "AGILE_SHADOW_HOME": str(tmp_path / "profile"), "QT_QPA_PLATFORM": "offscreen"}
    program = subprocess.Popen(
        [sys.executable, "-m", "agile_shadow.desktop", str(film)], env=values, stdout=log, stderr=log,
        cwd=Path(__file__).parents[2],
    )  # fmt: skip
    lock = ProjectLock(film)

    def held() -> bool:
        assert program.poll() is None, (tmp_path / "said").read_text()
        found = lock.holder()
        return found is not None and found.role == WINDOW and found.process == program.pid

    try:
        until(held)
        with pytest.raises(ShadowError, match=f"is open in another window \\(process {program.pid}\\)"):
            take_project(film)
    finally:
        program.send_signal(signal.SIGKILL)
        program.wait(30)
        log.close()
    mine, went_on = take_project(film)  # the next one gets it at once
    assert not went_on
    mine.release()
    assert load_project(film).clips


@pytest.mark.plants_errors
def test_closing_asks_whatever_saving_stumbles_over(
    qtbot: QtBot, film: Path, monkeypatch: pytest.MonkeyPatch, open_window: Opener
) -> None:
    window = open_window(film)
    real, broken = session_module.save_project, [True]

    def save(*arguments: object, **named: object) -> None:
        if broken[0]:
            raise RuntimeError("planted")
        real(*arguments, **named)  # type: ignore[arg-type]

    monkeypatch.setattr(session_module, "save_project", save)
    edited(window)
    seen = when_asked("Keep open")
    assert not window.close() and window.isVisible() and "could not be saved" in seen[0]

    def mend(_box: QMessageBox) -> None:
        broken[0] = False

    when_asked(mend, "Retry")
    assert window.close() and load_project(film).others


def test_a_project_that_another_program_changed_is_kept_beside_it_at_closing(
    qtbot: QtBot, film: Path, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    told: list[str] = []
    monkeypatch.setattr(QMessageBox, "warning", lambda _parent, title, _text: told.append(title))
    window = open_window(film)
    edited(window)
    film.write_text(film.read_text() + " ")  # another program was quicker
    assert window.close() and told == ["Changed by another program"]
    (mine,) = film.parent.glob("*yours*.otio")
    assert load_project(mine).others and not load_project(film).others
