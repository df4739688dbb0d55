"""``agile-shadow pair``, ``unpair``, ``prove`` and ``compare``: proxies and originals, joined and proven."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from ..core.errors import ProjectError, ShadowError, sentence
from ..core.handover import keep_edit_lists
from ..core.jobs import WorkerPool
from ..core.pairs import FileRef, Proof
from ..core.project import Clip, Project, ProjectLock, ProjectSession, load_project
from ..core.project.lock import COMMAND
from ..core.proof.prover import CompareRequest, beside_sisters, compare_files
from ..core.proof.prover import prove as prove_pair
from ..core.upkeep.proving import ProofFound, due, holds, prove_request, sisters_of, with_proofs
from ..core.upkeep.search import Offer, Search
from ..core.upkeep.taking import take as taken
from ..core.upkeep.taking import unpair as parted
from .shared import AsJson, ProjectFile, answer, say, told

_PATIENCE = 5.0  # seconds to wait for another command
_WORKERS = 2


def pair(
    project: ProjectFile,
    source: Annotated[list[Path], typer.Option("--from", help="Folder or file to search; may be repeated.")],
    take: Annotated[str | None, typer.Option("--take", help="Pair what is found: certain, or likely too.")] = None,
    pictures: Annotated[bool, typer.Option(help="Compare pictures and sound too, not only names and data.")] = True,
    as_json: AsJson = False,
) -> None:
    """Find the proxies of a project's clips, or the originals of a project cut on proxies, by every kind of evidence.

    Nothing is renamed or moved; without --take nothing is changed.
    """
    with told():
        if take not in (None, "certain", "likely"):
            raise ShadowError(f'"{take}" cannot be taken', None, "Use --take certain or --take likely.")
        document = _loaded(project)
        with WorkerPool(_WORKERS, stalled_after=300) as pool:
            offers = Search(document, [path.absolute() for path in source], pool, pictures, _Teller()).run()
        chosen = [one for one in offers.pairs if take == "likely" or (take and one.verdict == "certain")]
        if chosen:
            place = source[0].absolute()
            with _edited(project) as session:
                keep_edit_lists(session.project, session.path)
                session.edit("pair files", lambda before: taken(before, chosen, place))

    def values(one: Offer) -> dict[str, Any]:
        clip = document.clip(one.clip)
        assert clip is not None
        there = str(document.place(clip.original.file))
        original, proxy = (there, str(one.path)) if one.role == "proxy" else (str(one.path), there)
        evidence = {f.kind: {"weight": round(f.weight, 2), "says": f.says} for f in one.findings}
        return {
            "original": original, "proxy": proxy, "offset": one.offset, "verdict": one.verdict, "says": one.says,
            "weight": round(one.weight, 2), "evidence": evidence, "taken": one in chosen,
        }  # fmt: skip

    listed = [values(one) for one in offers.pairs]
    left = [{"path": one.path, "reason": one.reason} for one in offers.left]

    def lines() -> Iterator[str]:
        for one in listed:
            doubt = f"; {one['says']}" if one["says"] else ""
            at = f", from its frame {one['offset']} on" if one["offset"] else ""
            yield f"{one['verdict']}: {one['proxy']} is a proxy of {one['original']}{at}{doubt}"
        for item in left:
            yield f"no match: {item['path']}: {item['reason']}"

    answer({"pairs": listed, "left_alone": left}, as_json, lines)


class _Teller:
    """Says on stderr what a search is at, once for each step."""

    def __init__(self) -> None:
        self._said = ""

    def __call__(self, what: str, part: float) -> None:
        if what != self._said:
            self._said = what
            say(what)


def _loaded(project: Path) -> Project:
    if not project.exists():
        raise ProjectError("is not there", project, "Name a project file (.otio).")
    return load_project(project)


@contextmanager
def _edited(project: Path) -> Iterator[ProjectSession]:
    """The project open for a change. Raises ProjectError while another program has it."""
    lock = ProjectLock(project.absolute())
    if not lock.take(COMMAND, _PATIENCE):
        holder = lock.holder()
        who = f"{holder.role}, process {holder.process}" if holder is not None else "another program"
        raise ProjectError(f"is open elsewhere ({who})", project, "Close it there, or do it in the window.")
    try:
        session = ProjectSession.open(project)
        try:
            yield session
        finally:
            session.close()
    finally:
        lock.release()


def unpair(
    project: ProjectFile,
    files: Annotated[list[Path], typer.Argument(metavar="PROXY...", help="Proxy files, or originals of clips.")],
    as_json: AsJson = False,
) -> None:
    """Unpair proxies from their clips. The files stay where they are."""
    with told():
        _loaded(project)
        wanted = {path.absolute() for path in files}
        gone: list[dict[str, str]] = []
        with _edited(project) as session:
            for clip in session.project.clips:
                for proxy in clip.proxies:
                    both = session.project.place(clip.original.file), session.project.place(proxy.file)
                    if wanted & {path.absolute() for path in both if path is not None}:
                        gone.append({"original": str(both[0]), "proxy": str(both[1])})
                        keep_edit_lists(session.project, session.path)
                        session.edit("unpair", partial(parted, clip=clip.id, file=proxy.file))
        known = {Path(one[side]).absolute() for one in gone for side in ("original", "proxy")}
        for path in sorted(wanted - known):
            say(f"{path} is no half of a pair in this project.")
    answer({"unpaired": gone}, as_json, lambda: (f"{one['proxy']} unpaired from {one['original']}" for one in gone))
    if wanted - known:
        raise typer.Exit(1)


def prove(
    project: ProjectFile,
    again: Annotated[bool, typer.Option("--again", help="Prove pairs again that are proven already.")] = False,
    as_json: AsJson = False,
) -> None:
    """Prove each pair of a project: by its data, its sound, and its picture against the neighbouring frames too."""
    with told():
        _loaded(project)
        listed: list[dict[str, Any]] = []
        with _edited(project) as session, WorkerPool(_WORKERS, stalled_after=300) as pool:
            document = session.project
            pairs, cannot = due(document, {clip.id for clip in document.clips})
            futures = {}
            for one in pairs:
                if again or not holds(one):
                    try:
                        request = prove_request(document, one)
                    except ShadowError as error:
                        cannot.append((one.clip, one.proxy, sentence(error)))
                        continue
                    futures[one.clip.id, one.proxy.file] = pool.submit(prove_pair, request)
            pairs = [one for one in pairs if (one.clip.id, one.proxy.file) in futures or holds(one)]
            for number, one in enumerate(pairs):
                key = one.clip.id, one.proxy.file
                say(f"{number + 1} of {len(pairs)}: {one.proxy_path.name}")
                try:
                    proof: Proof | None = futures[key].result() if key in futures else one.proxy.proof
                except (ShadowError, OSError) as error:
                    listed.append(_unproved(str(one.original_path), str(one.proxy_path), sentence(error)))
                    continue
                assert proof is not None
                if key in futures:
                    proof = beside_sisters(proof, sisters_of(session.project, one.clip, one.proxy))
                    session.absorb(partial(with_proofs, proved=[ProofFound(*key, proof)]))
                listed.append(
                    {"original": str(one.original_path), "proxy": str(one.proxy_path), **proof_values(proof),
                     "offset": one.proxy.offset}
                )  # fmt: skip
            for clip, proxy, reason in cannot:
                both = _places(document, clip, proxy.file)
                listed.append(_unproved(*both, reason))

    answer({"pairs": listed}, as_json, lambda: (_proof_line(one) for one in listed))
    if any(one["state"] not in ("proven", "cannot tell") for one in listed):
        raise typer.Exit(1)


def _places(document: Project, clip: Clip, file: FileRef) -> tuple[str, str]:
    return str(document.place(clip.original.file)), str(document.place(file))


def _unproved(original: str, proxy: str, reason: str) -> dict[str, Any]:
    return {"original": original, "proxy": proxy, "state": "not proven", "reasons": [reason], "notes": [],
            "likeness": None, "better_offset": None}  # fmt: skip


def proof_values(proof: Proof) -> dict[str, Any]:
    """A proof as plain values."""
    return {
        "state": proof.state, "reasons": list(proof.reasons), "notes": list(proof.notes), "likeness": proof.likeness,
        "better_offset": proof.better_offset,
    }  # fmt: skip


def _proof_line(one: dict[str, Any]) -> str:
    why = "; ".join([*one["reasons"], *one["notes"]])
    likeness = f", likeness {one['likeness']:.3f}" if one["likeness"] is not None else ""
    return f"{one['state']}{likeness}: {one['proxy']}{': ' + why if why else ''}"


def compare(
    first: Annotated[Path, typer.Argument(metavar="ORIGINAL")],
    second: Annotated[Path, typer.Argument(metavar="PROXY")],
    offset: Annotated[int | None, typer.Option(help="Frames of the original before the proxy; default: found.")] = None,
    as_json: AsJson = False,
) -> None:
    """Compare two files as the halves of a pair: proven, doubtful or refused, and why."""
    with told():
        proof, found = compare_files(CompareRequest(first.absolute(), second.absolute(), offset), lambda done: None)
    values = {"original": str(first), "proxy": str(second), **proof_values(proof), "offset": found,
              "curve": [list(point) for point in proof.curve]}  # fmt: skip
    answer({**values, "pairs": [values]}, as_json, lambda: iter([_proof_line(values)]))
    if proof.state not in ("proven", "cannot tell"):
        raise typer.Exit(1)
