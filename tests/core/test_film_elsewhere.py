"""Films that a helper makes: the same film as here, named here, and nothing that is not what was asked for."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import pytest

from agile_shadow.core.below import Anchor
from agile_shadow.core.desk import FilmRun
from agile_shadow.core.desk.film import film_request
from agile_shadow.core.errors import ShadowError
from agile_shadow.core.film import (
    FilmPicture,
    FilmRequest,
    FilmSettings,
    make_film,
    read_certificate,
    why_only_here,
)
from agile_shadow.core.film.elsewhere import MADE_ELSEWHERE
from agile_shadow.core.film.render import states_of
from agile_shadow.core.helpers.film_orders import film_order
from agile_shadow.core.helpers.helper import Bench
from agile_shadow.core.helpers.kinds import KINDS, kind_of
from agile_shadow.core.helpers.orders import Order
from agile_shadow.core.jobs import JobStore, Machine
from agile_shadow.core.project import Project, ProjectSession, load_project
from agile_shadow.core.shelves import Shelf, mark_shelf
from tests.conftest import own_copy
from tests.core.test_film import plain_cut, seen_by_others, small
from tests.footage import refusal
from tests.inline import InlinePool, inline_machine


def exact(**size: int) -> FilmSettings:
    """Of an encoder that writes the same bytes each time."""
    return small(file="mov", picture=FilmPicture(format="dnxhr-sq", **size))


EXACT = exact(width=320, height=180)


@dataclass
class Suite:
    """A film asked for on one machine, and a helper that has the same shelves mounted elsewhere."""

    request: FilmRequest
    bench: Bench
    mounts: Path

    @property
    def shelves(self) -> tuple[Shelf, ...]:
        return self.request.project.shelves

    def order(self) -> Order:
        found = film_order(self.request, self.shelves)
        assert found is not None
        return found

    def made(self, order: Order, **other: Any) -> dict[str, Any]:
        """What the helper answers to an order, or to one that somebody changed."""
        values: dict[str, Any] = json.loads(
            self.bench.run("t", {"name": order.kind, **json.loads(order.text), **other})
        )
        return values

    def named(self, order: Order, values: dict[str, Any]) -> Any:
        task, request = KINDS["film"].taken(order, values)
        return task(request, lambda part: None)

    def hidden(self) -> list[str]:
        return [one.name for shelf in self.shelves for one in shelf.root.glob(".*.part")]


@pytest.fixture
def suite(filmed: Path, tmp_path: Path) -> Suite:
    """Footage on its own shelf, the film goes to another."""
    project = plain_cut(load_project(own_copy(filmed, tmp_path / "asks")))
    films = mark_shelf(Shelf("films", "Films", "exports", tmp_path / "Films"))
    project = project.but(shelves=(*project.shelves, films))
    request = FilmRequest(project, films.root / "Crossing.mov", EXACT)
    (tmp_path / "mnt").mkdir()
    there = {}
    for shelf in project.shelves:
        root = tmp_path / "mnt" / shelf.id
        root.symlink_to(shelf.root)
        there[shelf.id] = (replace(shelf, root=root), Anchor.of(root))
    bench = Bench(1)
    bench._shelves = there
    bench._pool.close()
    bench._pool = InlinePool()  # type: ignore[assignment]
    return Suite(request, bench, tmp_path / "mnt")


def test_a_helpers_film_is_the_one_made_here_and_its_certificate_is_of_this_machine(suite: Suite) -> None:
    assert kind_of(make_film) is KINDS["film"] and KINDS["film"].away
    order = suite.order()
    clips = {block.clip for block in suite.request.line.blocks}
    assert len(json.loads(json.loads(order.text)["project"])["metadata"]["agile_shadow"]["clips"]) == len(clips)
    values = suite.made(order)
    assert not suite.request.out.exists() and suite.hidden() == [order.left.name if order.left else ""]
    result = suite.named(order, values)
    assert suite.hidden() == [] and result.path == suite.request.out and result.notes[-1] == MADE_ELSEWHERE
    certificate = read_certificate(result.path)
    here = make_film(replace(suite.request, out=suite.request.out.with_name("Here.mov")), lambda part: None)
    assert seen_by_others(result.path) == seen_by_others(here.path)
    own = read_certificate(here.path)
    assert certificate.originals == own.originals and certificate.numbers == own.numbers
    assert certificate.loudness == own.loudness and certificate.settings == own.settings
    assert set(result.sources) == set(here.sources) and str(suite.mounts) not in certificate.model_dump_json()


def test_an_order_names_no_path_of_the_machine_that_asks(suite: Suite) -> None:
    text = json.loads(suite.order().text)
    project = json.loads(text.pop("project"))
    assert str(suite.mounts.parent) not in json.dumps(text)
    shelves = project["metadata"]["agile_shadow"]["shelves"]
    assert {one["id"] for one in shelves} == suite.order().needs
    for root in suite.mounts.iterdir():  # the helper goes by its own: what the text says of roots is passed over
        if root.name not in suite.order().needs:
            root.unlink()
    assert suite.made(suite.order())["frames"] == suite.request.count


SPOILT: dict[str, Callable[[Suite, Path, dict[str, Any]], object]] = {
    "a byte": lambda suite, film, values: _flip(film),
    "cut": lambda suite, film, values: film.write_bytes(film.read_bytes()[:-2000]),
    "gone": lambda suite, film, values: film.unlink(),
    "a link": lambda suite, film, values: film.rename(film.with_name("x.mp4")) and film.symlink_to("x.mp4"),
    "another film": lambda suite, film, values: _another(suite, film, values),
    "not all read": lambda suite, film, values: values.update(frames=values["frames"] - 1),
    "an original changed": lambda suite, film, values: next(iter(states_of(suite.request))).touch(),
    "an original gone": lambda suite, film, values: next(iter(states_of(suite.request))).unlink(),
    "no answer": lambda suite, film, values: values.pop("digest"),
    "endless": lambda suite, film, values: values.update(pace=float("inf")),
    "a name taken by footage": lambda suite, film, values: suite.request.out.hardlink_to(
        next(iter(states_of(suite.request)))
    ),
}


def _flip(film: Path) -> None:
    content = bytearray(film.read_bytes())
    content[len(content) // 2] ^= 1
    film.write_bytes(content)


def _another(suite: Suite, film: Path, values: dict[str, Any]) -> None:
    """A whole film, truly described, of another size than was asked for."""
    asked = replace(suite.request, settings=exact(width=480, height=270))
    other = film_order(asked, suite.shelves)
    assert other is not None and other.left is not None
    values.update(suite.made(other))
    other.left.replace(film)


@pytest.mark.parametrize("what", SPOILT)
def test_what_is_not_the_film_that_was_asked_for_gets_no_name(suite: Suite, what: str) -> None:
    order = suite.order()
    values = suite.made(order)
    assert order.left is not None
    SPOILT[what](suite, order.left, values)
    before = suite.request.out.exists()
    assert refusal(lambda: suite.named(order, values))
    assert (
        suite.request.out.exists() == before
        and not suite.request.out.with_name("Crossing.mp4.certificate.json").exists()
    )
    if what not in ("no answer", "endless"):  # that file the spread removes, as it was asked for by this machine
        assert suite.hidden() == []


HOSTILE: dict[str, dict[str, Any]] = {
    "out of the shelf": {"out": {"shelf": "films", "path": "../out.mov"}},
    "anywhere": {"out": {"shelf": "films", "path": "/etc/out.mov"}},
    "no shelf": {"out": {"shelf": "other", "path": "out.mov"}},
    "another extension": {"out": {"shelf": "films", "path": "out.mp4"}},
    "a visible name": {"partial": "Crossing.mov"},
    "a folder's": {"partial": "../.x.part"},
    "fewer originals": {"originals": []},
    "no project": {"project": "{}"},
    "no text": {"project": 5},
    "no settings": {"settings": {"schema": "agile-shadow film settings", "name": "x", "file": "exe"}},
    "no such frames": {"first": 5, "end": 2},
    "endless": {"end": 10**12},
}


@pytest.mark.parametrize("what", HOSTILE)
def test_an_order_that_nobody_here_would_give_is_refused(suite: Suite, what: str) -> None:
    before = sorted(suite.mounts.parent.rglob("*"))
    values = suite.made(suite.order(), **HOSTILE[what])
    assert "failed" in values and sorted(suite.mounts.parent.rglob("*")) == before


def test_a_file_that_lies_under_the_temporary_name_is_not_written_to(suite: Suite, tmp_path: Path) -> None:
    order, victim = suite.order(), tmp_path / "victim"
    victim.write_text("mine")
    assert order.left is not None
    order.left.symlink_to(victim)
    assert "failed" in suite.made(order) and victim.read_text() == "mine"


def test_an_original_that_is_another_one_at_the_helper_is_told(suite: Suite) -> None:
    order = suite.order()
    next(iter(states_of(suite.request))).touch()
    assert "another file" in suite.made(order)["failed"] and suite.hidden() == []


def test_what_can_only_be_made_here_says_why(suite: Suite, tmp_path: Path) -> None:
    request, shelves = suite.request, suite.shelves
    assert why_only_here(request, shelves) == ""
    pictures = small(file="pictures", picture=FilmPicture(format="png", width=64, height=36), sound=None)
    for other, word in (
        (replace(request, draft=True), "draft"),
        (replace(request, settings=pictures, out=request.out.with_suffix("")), "pictures"),
        (replace(request, out=tmp_path / "elsewhere" / "f.mp4"), "no shelf"),
        (replace(request, project=_sequences(request.project)), "sequence"),
    ):
        assert word in why_only_here(other, shelves) and film_order(other, shelves) is None
    next(iter(states_of(request))).unlink()
    assert film_order(request, shelves) is None, "an original is away: this machine says so"


def _sequences(project: Project) -> Project:
    clips = tuple(
        replace(clip, original=replace(clip.original, file=replace(clip.original.file, form="sequence")))
        for clip in project.clips
    )
    return project.but(clips=clips)


@pytest.mark.parametrize("helpers", [True, False])
def test_only_a_film_that_was_asked_of_helpers_goes_to_them(suite: Suite, helpers: bool, film: Path) -> None:
    machine, spread = inline_machine(), []

    def to_helpers(local: Any, size: int) -> Any:
        spread.append(local)
        return local

    machine.spread = to_helpers
    session = ProjectSession.open(film)
    values = film_request(replace(suite.request, helpers=helpers))
    run = FilmRun(json.loads(json.dumps(values)), session, JobStore(), machine)
    run.run()
    assert bool(spread) == helpers and run.problems == [] and suite.request.out.is_file()
    session.close()
    machine.close()


def test_a_queue_of_before_helpers_made_films_is_read(suite: Suite, film: Path) -> None:
    values = film_request(suite.request)
    values.pop("helpers")
    session, machine = ProjectSession.open(film), Machine()
    run = FilmRun(values, session, JobStore(), machine)
    assert not run.with_helpers() and run.work(run.pieces()[0])[1] == replace(
        run.work(run.pieces()[0])[1], helpers=False
    )
    session.close()
    machine.close()


def test_a_hostile_project_in_an_order_leads_nowhere(suite: Suite, tmp_path: Path) -> None:
    order = suite.order()
    project = json.loads(json.loads(order.text)["project"])
    secret = tmp_path / "secret.mov"
    secret.write_bytes(b"not for helpers")
    text = json.dumps(project).replace('"path": "', '"path": "../../')
    values = suite.made(order, project=text)
    assert "failed" in values and suite.hidden() == [] and secret.read_bytes() == b"not for helpers"
    with pytest.raises(ShadowError):
        suite.named(order, values)
