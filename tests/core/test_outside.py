"""What comes from elsewhere: projects, presets, links, lists in disguise. Nothing outside the shelves is opened,
written or removed, and nothing hangs or is lost for it."""

from __future__ import annotations

import base64
import io
import json
import os
import shutil
import subprocess
import time
import zlib
from fractions import Fraction
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from agile_shadow.core.below import Anchor, folder_below, open_ordinary
from agile_shadow.core.errors import CopyError, MediaError, PresetError, ProjectError, ShadowError
from agile_shadow.core.files import fitting_name, is_partial, partial_path
from agile_shadow.core.ingest import CopyItem, CopyRequest, copy_and_prove, poster_place, read_source, write_report
from agile_shadow.core.ingest.copying import copy_file
from agile_shadow.core.media import MediaInfo, as_form, probe
from agile_shadow.core.media.opening import open_media
from agile_shadow.core.pairs import FileRef
from agile_shadow.core.presets import Preset, Proxies
from agile_shadow.core.presets.library import load_preset, parse_preset
from agile_shadow.core.project import Project, ProjectSession, load_project, other_projects, save_project
from agile_shadow.core.project.guarding import refuse_footage
from agile_shadow.core.project.report import IngestReport
from agile_shadow.core.shelves import MARK
from agile_shadow.core.strict import exact, read_json
from agile_shadow.core.upkeep import removing
from agile_shadow.core.upkeep.removing import bring_back, remove_files, with_again, without
from agile_shadow.core.upkeep.trash import out_of_trash
from tests.drawn import draw
from tests.footage import here, ingest, refusal

SMALL = Preset(name="T", proxies=Proxies(codec="h264", scale=Fraction(1, 2)))


@pytest.fixture(scope="module")
def film_once(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("outside")
    draw(folder / "Card" / "a.mov", 8)
    (folder / "Card" / "a.xml").write_text("<x/>")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("AGILE_SHADOW_HOME", str(folder / "profile"))
        ingest(folder / "Card", folder / "film" / "p.otio", SMALL)
    return folder


@pytest.fixture
def film(film_once: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A project file of one's own, with shelves and state of its own, and a trash."""
    folder = Path(shutil.copytree(film_once, tmp_path / "f", copy_function=shutil.copy2))
    project = folder / "film" / "p.otio"
    project.write_text(project.read_text().replace(str(film_once), str(folder)))
    monkeypatch.setenv("AGILE_SHADOW_HOME", str(tmp_path / "fresh"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr(removing, "into_trash", into_a_trash_of_its_own(tmp_path / "data" / "Trash"))
    return project


def into_a_trash_of_its_own(trash: Path) -> Any:
    """As the desktop's trash does it, without the desktop's choice of where."""

    def put(path: Path) -> str:
        for name in ("files", "info"):
            (trash / name).mkdir(parents=True, exist_ok=True)
        os.rename(path, trash / "files" / path.name)
        (trash / "info" / f"{path.name}.trashinfo").write_text(f"[Trash Info]\nPath={path}\n")
        return ""

    return put


def changed(project: Path, change: Any) -> Project:
    """The project with a change to its file's values, read again."""
    values = json.loads(project.read_text())
    change(values["metadata"]["agile_shadow"])
    project.write_text(json.dumps(values))
    return load_project(project)


def pairs_of(project: Project) -> list[Any]:
    return [(clip, proxy) for clip in project.clips for proxy in clip.proxies]


# Removal


def test_a_proxy_made_here_goes_into_the_trash_and_comes_back(tmp_path: Path, film: Path) -> None:
    folder = film.parent
    shutil.rmtree(folder)
    ingest(folder.parent / "Card", film, SMALL)  # made by this profile: it is remembered
    project = load_project(film)
    ((clip, proxy),) = pairs_of(project)
    path = project.path(proxy.file)
    assert path is not None
    content = path.read_bytes()
    removed = remove_files(project, [(clip, proxy)])
    assert removed.kept == () and not path.exists() and without(project.footage, removed).clips[0].proxies == ()
    back, problems = bring_back(removed)
    assert problems == () and path.read_bytes() == content
    assert with_again(without(project.footage, removed), back) == project.footage
    assert "not in the trash" in refusal(lambda: out_of_trash(path))


def test_a_proxy_is_told_by_its_contents_where_nothing_is_remembered(film: Path) -> None:
    project = load_project(film)
    removed = remove_files(project, pairs_of(project))
    assert removed.kept == () and len(removed.paths) == 1


@pytest.mark.parametrize("victim", ["a document", "a folder", "an original", "a part", "a sidecar", "a link", "a film"])
@pytest.mark.parametrize("root", ["/", "a link", "with dots", "the folder"])
def test_a_project_file_never_makes_anything_else_go(tmp_path: Path, film: Path, victim: str, root: str) -> None:
    things = tmp_path / "things"
    things.mkdir()
    project = load_project(film)
    original = project.path(project.clips[0].original.file)
    assert original is not None
    target = things / "x.mov"
    if victim == "a document":
        target.write_bytes(b"dear diary" * 50)
    elif victim == "a folder":
        (target / "inside").mkdir(parents=True)
    elif victim == "an original":
        target = original
    elif victim == "a part":
        target.hardlink_to(original)  # another name of the same file
    elif victim == "a sidecar":
        target = original.with_name("a.xml")
    elif victim == "a link":
        target.symlink_to(original)
    else:
        draw(target, 8, size=(64, 36))
    (tmp_path / "link").symlink_to(target.parent)
    roots = {"/": Path("/"), "a link": tmp_path / "link", "with dots": things / ".." / target.parent.name,
             "the folder": target.parent}  # fmt: skip
    base = roots[root] if target.parent == things or root in ("/", "the folder", "a link") else target.parent

    def aim(values: dict[str, Any]) -> None:
        values["shelves"].append({"id": "evil", "name": "x", "role": "proxies", "root": str(base)})
        proxy = values["clips"][0]["media_references"]["proxy"]["metadata"]["agile_shadow"]
        proxy.update(shelf="evil", path=str(target.relative_to("/")) if root == "/" else target.name, made=True)

    hostile = changed(film, aim)
    before = everything(tmp_path)
    removed = remove_files(hostile, pairs_of(hostile))
    assert removed.gone == () and len(removed.kept) == 1 and "stays" in removed.kept[0]
    assert everything(tmp_path) == before


def everything(folder: Path) -> list[str]:
    """All paths but those of the profile."""
    return sorted(str(path) for path in folder.rglob("*") if "fresh" not in path.parts)


def test_what_is_an_original_of_another_project_stays(tmp_path: Path, film: Path) -> None:
    project = load_project(film)
    ((clip, proxy),) = pairs_of(project)
    path = project.path(proxy.file)
    assert path is not None
    cut_on_proxies = tmp_path / "other" / "q.otio"
    ingest(path.parent, cut_on_proxies, replace_originals(SMALL))
    assert [one.name for one in other_projects(film)] == ["q"]
    removed = remove_files(project, [(clip, proxy)], other_projects(film))
    assert removed.gone == () and "it is an original" in removed.kept[0] and path.exists()


def replace_originals(preset: Preset) -> Preset:
    return preset.model_copy(update={"originals": preset.originals.model_copy(update={"do": "leave"}), "proxies": None})


def test_nothing_is_written_over_footage_under_whatever_name(tmp_path: Path, film: Path) -> None:
    project = load_project(film)
    original = project.path(project.clips[0].original.file)
    assert original is not None
    (tmp_path / "another name.mov").hardlink_to(original)
    (tmp_path / "link.mov").symlink_to(original)
    for path in (original, tmp_path / "another name.mov", tmp_path / "link.mov"):
        assert "footage" in refusal(lambda path=path: refuse_footage(project, path))
    refuse_footage(project, tmp_path / "new.mov")


# Links and lists in disguise


def test_links_on_a_shelf_lead_no_copy_outside(tmp_path: Path) -> None:
    source = draw(tmp_path / "Card" / "x.mov", 5)
    shelf, outside = tmp_path / "shelf", tmp_path / "outside"
    for folder in (shelf, outside):
        folder.mkdir()
    (shelf / "in").symlink_to(outside)
    anchor = Anchor.of(shelf)
    with pytest.raises(CopyError, match="link"):
        copy_file(source, (shelf / "in" / "x.mov",), "xxh128", anchors=(anchor,))
    (shelf / "x.mov").symlink_to(outside / "x.mov")  # nothing lies there, yet the name leads outside
    (proved,) = copy_file(source, (shelf / "x.mov",), "xxh128", anchors=(anchor,))
    assert proved.path.name == "x_2.mov" and list(outside.iterdir()) == []


@given(st.lists(st.sampled_from(["a", "b", "..", ".", "l"]), min_size=1, max_size=4))
def test_no_folder_is_entered_outside_its_root(tmp_path_factory: pytest.TempPathFactory, parts: list[str]) -> None:
    base = tmp_path_factory.mktemp("enter")
    root = base / "root"
    (root / "a").mkdir(parents=True)
    (root / "l").symlink_to(base)
    path = Path(str(root) + "/" + "/".join(parts))
    try:
        with folder_below(Anchor.of(root), path, make=True) as folder:
            assert Path(os.readlink(f"/proc/self/fd/{folder.handle}")).is_relative_to(root)
    except (ShadowError, OSError):
        assert ".." in parts or "l" in parts


def test_members_of_sequences_and_recordings_are_ordinary_files(tmp_path: Path) -> None:
    for number in range(1, 8):
        Image.new("RGB", (64, 36)).save(tmp_path / f"S_{number:04d}.png")
    (tmp_path / "S_0004.png").rename(tmp_path / "elsewhere.png")
    (tmp_path / "S_0004.png").symlink_to(tmp_path / "elsewhere.png")
    with pytest.raises(MediaError, match="frame 4 of the sequence is missing"):
        probe(as_form(tmp_path / "S_%04d.png", "sequence"), Fraction(25))
    draw(tmp_path / "one.mov", 5)
    (tmp_path / "two.mov").symlink_to(tmp_path / "one.mov")
    with pytest.raises(MediaError):
        probe(as_form(tmp_path / "one.mov + two.mov", "parts"))
    os.mkfifo(tmp_path / "pipe.mov")
    begun = time.monotonic()
    assert refusal(lambda: probe(tmp_path / "pipe.mov")) and time.monotonic() - begun < 2


@pytest.mark.parametrize(
    "text",
    [
        "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{0}\n#EXT-X-ENDLIST\n",
        "ffconcat version 1.0\nfile '{0}'\n",
        "ffconcat version 1.0\nfile {0}\nduration 1\n",
        "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\n",
        "[playlist]\nFile1={0}\n",
        "<?xml version='1.0'?><MPD xmlns='urn:mpeg:dash:schema:mpd:2011'/>",
    ],
)
@pytest.mark.parametrize("ending", [".mov", ".ts", ".mp4", ".mkv", ".m4a"])
def test_a_list_with_the_ending_of_a_film_opens_no_other_file(tmp_path: Path, text: str, ending: str) -> None:
    secret = draw(tmp_path / "secret.mov", 5)
    path = tmp_path / f"list{ending}"
    path.write_text(text.format(secret))
    with pytest.raises(MediaError):
        open_media(path)
    assert "secret" not in refusal(lambda: probe(path))


def test_a_report_from_elsewhere_builds_no_picture_of_another_file_into_its_page(tmp_path: Path, film: Path) -> None:
    private = tmp_path / "private.png"
    Image.new("RGB", (200, 100), "red").save(private)

    def aim(values: dict[str, Any]) -> None:
        row = values["reports"][0]["rows"][0]
        for row in values["reports"][0]["rows"]:
            row.update(poster=str(private), original=str(private))

    project = changed(film, aim)
    report = IngestReport.from_json(project.reports[0])
    assert all(poster_place(project, row) is None for row in report.rows)
    page = write_report(report, tmp_path / "r.html", "T", project).read_text()
    assert "<img" not in page
    good = load_project(Path(shutil.copy(film, tmp_path / "again.otio")))
    assert good.reports  # the project itself opens


# Values out of all bounds


@pytest.mark.parametrize(
    "text", ["1e999999999", "1/0", "9" * 100, "1/" + "9" * 100, "nan", "inf", "", "1_000", " 1", True]
)
def test_no_fraction_takes_for_ever(text: Any) -> None:
    begun = time.monotonic()
    with pytest.raises(ValueError):
        exact(text)
    assert time.monotonic() - begun < 1


@given(st.fractions(max_denominator=10**6))
def test_every_sensible_fraction_is_read(value: Fraction) -> None:
    assert exact(str(value)) == value


def of_original(values: dict[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = values["clips"][0]["media_references"]["original"]["metadata"]["agile_shadow"]
    return found


HOSTILE = [
    lambda v: of_original(v)["info"].update(duration="1e999999999"),
    lambda v: of_original(v)["info"].update(frame_rate="0/0"),
    lambda v: of_original(v)["info"].update(width=[1]),
    lambda v: of_original(v)["info"].update(audio=[[1, 2]]),
    lambda v: of_original(v)["info"].update(camera=7),
    lambda v: of_original(v)["info"].update(frames=10**400),
    lambda v: of_original(v).update(size=-1),
    lambda v: v["clips"][0]["media_references"].update(proxy_x={"metadata": {}}),
    lambda v: v["clips"][0].update(name=5),
    lambda v: v["clips"].append(v["clips"][0]),
    lambda v: v.update(clips=7),
    lambda v: v.update(reports=[{"rows": [{"path": 5}]}]),
    lambda v: v.update(reports=[7]),
    lambda v: v.update(reports=[{"rows": "x" * 1000}]),
    lambda v: v.update(tables={"t": 5}),
    lambda v: v.update(tables={"t": {"name": "x.cube", "data": "AA"}}),
    lambda v: v.update(preset=[1]),
    lambda v: v.update(preset={"schema": "agile-shadow preset", "takes": 7}),
    lambda v: v.update(shelves=[{"id": "1", "name": "x", "role": "originals", "root": "relative"}]),
    lambda v: v.update(shelves=[{"id": "1", "name": "x", "role": "none", "root": "/x"}]),
    lambda v: v.update(bakes=[[1, 2, 3]]),
    lambda v: v.update(others=[{}]),
    lambda v: v["timeline"].update(rate="1e999999999"),
    lambda v: v["timeline"].update(width=10**30),
    lambda v: v["timeline"].update(mark_in="x"),
    lambda v: v.update(version="2"),
    lambda v: v.update(id=[]),
    lambda v: v.update(strange={"a": [[[[[[1]]]]]] * 3} | {"b": 10**60}),
]  # fmt: skip


@pytest.mark.parametrize("number", range(len(HOSTILE)))
def test_a_hostile_project_is_refused_in_words_at_once(film: Path, number: int) -> None:
    begun = time.monotonic()
    with pytest.raises(ProjectError) as caught:
        changed(film, HOSTILE[number])
    assert time.monotonic() - begun < 3 and len(str(caught.value)) < 600
    status, answer, said = here("clips", "--project", film)
    assert status == 1 and "Traceback" not in said and answer["error"]


def test_a_project_nested_without_end_or_of_no_text_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "p.otio"
    for content in (b"[" * 200_000, b'{"a":' * 100_000, b"\xff\xfe\x00", b"", b"7", b'"x"', b"null", b"{}"):
        path.write_bytes(content)
        assert "project" in refusal(lambda: load_project(path))
    path.unlink()
    os.mkfifo(path)
    assert refusal(lambda: load_project(path))


def test_half_a_letter_in_a_name_is_mended_and_the_project_can_be_saved(film: Path) -> None:
    text = film.read_text()
    assert text.count('"name": "a"') >= 1
    film.write_text(text.replace('"name": "a"', '"name": "a\\ud800b"'))
    project = load_project(film)
    assert project.clips[0].name == "a\ufffdb"
    save_project(project, film)
    assert load_project(film) == project
    session = ProjectSession.open(film)
    session.edit("name", lambda now: now.but(name="lone \udc80"))
    session.save()
    session.close()
    assert load_project(film).name == "lone \ufffd"


def test_whatever_a_file_says_of_itself_can_be_saved_and_opened_again(tmp_path: Path) -> None:
    path = draw(tmp_path / "x.mov", 5)
    info = probe(path)
    assert MediaInfo.from_json(info.to_json()) == info
    with pytest.raises(ValueError):
        MediaInfo.from_json({**info.to_json(), "duration": "99999999999/1"})


def packed(name: str, content: bytes) -> dict[str, str]:
    return {"name": name, "data": base64.b64encode(zlib.compress(content)).decode()}


def drawn_as(kind: str) -> bytes:
    """A picture of that kind as the imaging library itself writes it."""
    content = io.BytesIO()
    Image.new("RGB", (10, 10), "red").save(content, kind)
    return content.getvalue()


@pytest.mark.parametrize(
    "picture",
    [
        packed("x.eps", drawn_as("EPS")),
        packed("x.png", drawn_as("EPS")),
        packed("x.png", b"DDS |\0\0\0" + bytes(200)),
        packed("x.jpg", b"\0\0\0\x1cftypavif" + bytes(300)),
        packed("x.jpg", b"not a picture"),
        packed("x.gif", b"GIF89a" + bytes(40)),
    ],
)
def test_a_picture_mark_is_a_png_or_a_jpeg_and_starts_no_program(
    picture: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    started: list[object] = []

    def never(*arguments: object, **_named: object) -> None:
        started.append(arguments)
        raise OSError("a program was started")

    monkeypatch.setattr("PIL.EpsImagePlugin.gs_binary", None)  # not looked for yet
    for name in ("Popen", "check_call", "run"):
        monkeypatch.setattr(f"subprocess.{name}", never)
    values = SMALL.to_json()
    values["proxies"]["marks"] = [{"kind": "picture", "picture": picture}]
    with pytest.raises(PresetError):
        parse_preset(values)
    assert not started


@pytest.mark.parametrize("values", [[], 7, {"version": {}}, {"version": 1, "proxies": 7}, {"schema": 7}, None, "x"])
def test_a_preset_of_any_shape_is_refused_in_words(values: Any, tmp_path: Path) -> None:
    (tmp_path / "p.json").write_text(json.dumps(values))
    with pytest.raises(PresetError):
        load_preset(tmp_path / "p.json")
    (tmp_path / "p.json").write_text("[" * 100_000)
    assert refusal(lambda: load_preset(tmp_path / "p.json"))


# Names and depths


def test_a_source_of_any_depth_is_listed(tmp_path: Path) -> None:
    handle = os.open(tmp_path, os.O_RDONLY)
    depth = 1200
    for _ in range(depth):
        os.mkdir("d", dir_fd=handle)
        inner = os.open("d", os.O_RDONLY, dir_fd=handle)
        os.close(handle)
        handle = inner
    with os.fdopen(os.open("x.mov", os.O_CREAT | os.O_WRONLY, dir_fd=handle), "wb") as file:
        file.write(b"x")
    os.close(handle)
    listing = read_source(tmp_path)
    assert [file.path.count("/") for file in listing.files] == [depth]
    subprocess.run(["rm", "-rf", tmp_path / "d"], check=True)  # Python's own remover is not made for it


@given(st.text(st.sampled_from("aé\u6f22\U0001f3a5"), min_size=1, max_size=250), st.sampled_from([".mov", ".MXF", ""]))
def test_every_name_that_is_made_fits_a_drive(stem: str, ending: str) -> None:
    name = fitting_name(stem, ending)
    assert len(os.fsencode(name)) <= 255 and name.endswith(ending)
    partial = partial_path(Path("/x") / name)
    assert len(os.fsencode(partial.name)) <= 255 and is_partial(partial.name)


@pytest.mark.parametrize(
    "name",
    ["\u6f22" * 80 + ".mov", "SHOT_%04d.mov", "a + b.mov", "one.mov + two.mov", "100%.mov", "%d.mov", "x%03d y.mov"],
)
def test_any_name_is_copied_probed_and_gets_its_proxy(tmp_path: Path, name: str) -> None:
    drawn = draw(tmp_path / "x.mov", 6)
    (tmp_path / "Card").mkdir()
    drawn.rename(tmp_path / "Card" / name)
    report = ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", SMALL)
    assert (report.found, report.proved, report.paired) == (1, 1, 1) and not report.failed
    assert (tmp_path / "film" / "Boathouse" / name).is_file()
    project = load_project(tmp_path / "film" / "p.otio")
    assert project.clips[0].original.file == FileRef(project.clips[0].original.file.shelf, name)
    assert ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", SMALL).proved == 1


def test_stills_with_patterns_in_their_names_are_single_pictures(tmp_path: Path) -> None:
    for name in ("S_%04d.png", "S_0001.png"):
        Image.new("RGB", (64, 36), "red").save(tmp_path / name)
    assert probe(tmp_path / "S_%04d.png").kind == "still"
    listing = read_source(tmp_path)
    assert {(file.path, file.form) for file in listing.files} == {("S_%04d.png", "file"), ("S_0001.png", "file")}


def test_room_is_told_in_a_unit_that_shows_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from agile_shadow.core.ingest import shelving

    draw(tmp_path / "Card" / "x.mov", 5)
    monkeypatch.setattr(shelving, "free_room", lambda _folder: 700)
    said = refusal(lambda: ingest(tmp_path / "Card", tmp_path / "film" / "p.otio", SMALL))
    assert "700 bytes" in said and "kB are needed" in said


def test_only_ordinary_files_are_opened(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "link").symlink_to(tmp_path / "pipe")
    for name in ("pipe", "link"):
        with pytest.raises(OSError):
            open_ordinary(tmp_path / name)
    with pytest.raises(CopyError):
        copy_and_prove(
            CopyRequest(tmp_path / "pipe", (CopyItem(tmp_path / "pipe", (tmp_path / "o" / "x",)),), "xxh128",
                        anchors=(Anchor.of(tmp_path),)), lambda done: None
        )  # fmt: skip
    assert not (tmp_path / "o" / "x").exists() and MARK.startswith(".")


def test_json_of_any_kind_is_read_or_refused() -> None:
    assert read_json('{"a": NaN, "b": Infinity, "c": "\\ud83d\\ude00", "d": "\\ud800"}') == {
        "a": 0.0, "b": 0.0, "c": "\U0001f600", "d": "\ufffd",
    }  # fmt: skip
    with pytest.raises(ValueError):
        read_json("[" * 100_000)
