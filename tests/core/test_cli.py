"""The command line as a script uses it."""

import json
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image
from typer.main import get_command
from typer.testing import CliRunner

from agile_shadow.cli import app
from agile_shadow.commands.table import COMMANDS
from agile_shadow.core.project import load_project, save_project
from agile_shadow.core.timeline import append, with_speed
from agile_shadow.stand_ins import CLIPS, read_code
from agile_shadow.stand_ins.card import CUT_OFF
from tests.core.test_ingest import cli
from tests.effects import named
from tests.footage import NUMBERS, here


def test_probe_answers_for_the_good_and_fails_for_the_bad(drawn_card: Path) -> None:
    status, answer, said = cli("probe", drawn_card / CLIPS[6].path, drawn_card / CUT_OFF)
    (file,) = answer["files"]
    wanted = {
        "codec": "hevc", "width": 960, "height": 540, "frame_rate": "25/1", "frames": 25, "reel": "A001",
        "start_timecode": "10:14:20:05", "display_aspect": "16:9", "audio_channels": 4,
    }  # fmt: skip
    assert {key: file[key] for key in wanted} == wanted
    assert status == 1 and CUT_OFF in said and len(said.strip().splitlines()) == 1


def test_presets_are_listed_with_what_they_do() -> None:
    status, answer, _said = here("presets", "list")
    listed = {preset["name"]: preset for preset in answer["presets"]}
    assert status == 0
    assert {"scale": "1/4", "codec": "dnxhr-lb", "place": "shelf"}.items() <= (
        listed["Everyday, quarter size"]["proxies"].items())  # fmt: skip
    assert listed["Copy and verify only"]["proxies"] is None


def test_bad_input_is_one_sentence_and_a_status(card: Path, tmp_path: Path) -> None:
    broken = tmp_path / "broken.json"
    broken.write_text(json.dumps({"schema": "agile-shadow preset", "name": "x", "proxies": {"codec": "shiny"}}))
    (tmp_path / "no.otio").write_text("not a project")
    places = ["--originals", tmp_path / "o", "--proxies", tmp_path / "p"]
    for arguments, word in (
        (["ingest", card, "--preset", broken, "--project", tmp_path / "p.otio", *places], "proxies.codec"),
        (["ingest", card, "--preset", "Everyday, quarter size", "--project", tmp_path / "no.otio", *places], "no.otio"),
        (["clips", "--project", tmp_path / "gone.otio"], "gone.otio"),
        (["export", "--project", tmp_path / "no.otio", "--out", tmp_path / "f.mp4"], "no.otio"),
    ):
        status, answer, said = here(*arguments)
        assert status != 0 and word in answer["error"] and word in said and "Traceback" not in said
    assert not (tmp_path / "o").exists()


def test_an_empty_timeline_is_not_exported(film: Path, tmp_path: Path) -> None:
    status, answer, said = here("export", "--project", film, "--out", tmp_path / "film.mp4")
    assert status == 1 and list(answer) == ["error"] and "empty" in said


def test_a_frame_of_the_timeline_is_written_from_either_side(film: Path, tmp_path: Path) -> None:
    file = film
    project = load_project(file)
    clip = named(project, "A001C002")
    project = project.with_timeline_settings_of(clip)
    line = append(project.timeline, clip.piece(Fraction(2, 25), Fraction(1, 2)))
    line = with_speed(line, line.pictures[0].blocks[0].id, Fraction(2))
    save_project(project.but(timeline=line), file)
    out = tmp_path / "frame.png"
    for side, kind in (("original", "original"), ("proxy", "proxy")):
        status, answer, _said = here("frame", "--project", file, "--at", "00:00:00:03", "--side", side, "--out", out)
        assert status == 0 and answer["layers"][0]["kind"] == kind
        with Image.open(out) as picture:
            assert picture.size == (960, 540)
            assert read_code(np.asarray(picture)[..., 1]) == (NUMBERS["A001C002"], 2 + 3 * 2)
    status, answer, _said = here("timeline", "--project", file)
    assert status == 0 and [(t["kind"], len(t["blocks"])) for t in answer["tracks"]] == [("picture", 1), ("sound", 1)]
    assert answer["tracks"][0]["blocks"][0]["speed"] == 2 and answer["frames"] == 6  # 13 frames at double speed
    out.unlink()
    for wrong in (
        ["--at", "00:01:00:00"],
        ["--at", "x"],
        ["--at", "1", "--size", "1x1"],
        ["--at", "1", "--timeline", "y"],
    ):
        status, _answer, said = here("frame", "--project", file, *wrong, "--out", out)
        assert status == 1 and len(said.strip().splitlines()) == 1 and not out.exists()


def loaded_by(code: str) -> set[str]:
    """Which libraries a fresh process has loaded after some code."""
    asked = f"import sys\n{code}\nprint('\\n' + ' '.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    return set(done.stdout.splitlines()[-1].split())


def test_the_list_of_commands_says_what_each_says_of_itself() -> None:
    group = get_command(app)
    for name, late in COMMANDS.items():
        command = late.load(name)
        assert command.name == name and command.get_short_help_str(400) == late.words
    shown = CliRunner().invoke(app, ["--help"]).stdout
    assert all(f"  {name} " in shown for name in COMMANDS)
    assert group.get_command(None, "no-such") is None  # type: ignore[attr-defined]
    refused = CliRunner().invoke(app, ["no-such"])
    assert refused.exit_code == 2 and "No such command 'no-such'" in refused.output


def test_help_and_the_list_of_jobs_load_little() -> None:
    run = "from agile_shadow.cli import run\nrun(%s)"
    assert not loaded_by(run % "['--help']") & {"numpy", "av", "pydantic", "PIL", "agile_shadow.core.project"}
    assert not loaded_by(run % "['jobs', 'list']") & {"numpy", "av", "PIL", "agile_shadow.core.desk"}
    assert not loaded_by("import agile_shadow.core.desk, agile_shadow.core.film, agile_shadow.core.kit") & {
        "scipy", "cv2", "ascmhl", "agile_shadow.core.film.render", "agile_shadow.core.kit.making",
    }  # fmt: skip
