"""Hosts on one machine: network namespaces with addresses of their own, the shared drive mounted at other paths.

``python -m benchmarks.hosts SCENARIO FOLDER CARD SEED`` plays one scenario in namespaces of its own and prints what
came of it as JSON. The one that asks is the first host, the helpers are the others.
Traffic goes between these hosts only.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

from agile_shadow.core.project import Project, load_project, save_project
from agile_shadow.core.timeline import append

_SANDBOX = (
    "unshare", "--user", "--map-root-user", "--net", "--mount", "--pid", "--fork", "--kill-child", "--mount-proc"
)  # fmt: skip
_SHELVES = ("Boathouse", "Laptop")
_HOUR_OFF = "import time, runpy, sys; real = time.time; time.time = lambda: real() + 3600; sys.argv[0] = 'helper'; " \
            "runpy.run_module('agile_shadow.cli', run_name='__main__')"  # fmt: skip


def why_not() -> str:
    """Why hosts cannot be played here; "" where they can."""
    try:
        done = subprocess.run([*_SANDBOX, "ip", "link", "set", "lo", "up"], capture_output=True, text=True, timeout=20)
    except (OSError, subprocess.TimeoutExpired) as error:
        return f"namespaces cannot be tried here ({error})"
    return "" if done.returncode == 0 else f"namespaces are not allowed here ({done.stderr.strip()[:200]})"


def play(scenario: str, folder: Path, card: Path, seed: int = 0, limit: float = 600.0) -> dict[str, Any]:
    """Play a scenario in namespaces of its own: what came of it. Raises RuntimeError with what was printed."""
    command = [*_SANDBOX, sys.executable, "-m", "benchmarks.hosts", scenario, str(folder), str(card), str(seed)]
    here = Path(__file__).parent.parent
    done = subprocess.run(command, capture_output=True, text=True, timeout=limit, cwd=here, env=_environment(folder))
    try:
        return dict(json.loads(done.stdout.strip().splitlines()[-1]))
    except (ValueError, IndexError) as error:
        raise RuntimeError(f"{scenario}: {done.stdout[-2000:]}\n{done.stderr[-4000:]}") from error


def _environment(home: Path) -> dict[str, str]:
    source = str(Path(__file__).parent.parent / "src")
    before = os.environ.get("PYTHONPATH", "")
    return {**os.environ, "PYTHONPATH": f"{source}:{before}" if before else source, "AGILE_SHADOW_HOME": str(home)}


def _run(*command: str) -> None:
    subprocess.run(command, check=True, capture_output=True, text=True)


def _until(condition: Callable[[], Any], limit: float, what: str) -> Any:
    end = time.monotonic() + limit
    while time.monotonic() < end:
        if found := condition():
            return found
        time.sleep(0.05)
    raise TimeoutError(what)


@dataclass
class Host:
    """A helper's machine: ``number`` from 1 on."""

    number: int
    base: Path
    shell: subprocess.Popen[bytes]
    process: subprocess.Popen[bytes] | None = None
    line: str = ""
    clock_off: bool = False

    @property
    def home(self) -> Path:
        return self.base / f"host{self.number}" / "profile"

    @property
    def drives(self) -> Path:
        return self.base / f"host{self.number}" / "drives"

    @property
    def card(self) -> str:
        """Its network card at the end of the one that asks."""
        return f"v{self.number}"

    def inside(self, *command: str) -> list[str]:
        return ["nsenter", "-t", str(self.shell.pid), "-n", "-m", "--", *command]

    def join(self) -> None:
        """Start to help, as a user would."""
        python = [sys.executable, "-c", _HOUR_OFF] if self.clock_off else [sys.executable, "-m", "agile_shadow.cli"]
        shelves = [f"--shelf={name}={self.drives / name}" for name in _SHELVES]
        arguments = ["helpers", "join", self.line, *shelves, "--at-a-time", "1"]
        with (self.base / f"host{self.number}.log").open("ab") as log:
            self.process = subprocess.Popen(self.inside(*python, *arguments), env=_environment(self.home), stdout=log,
                                            stderr=log, start_new_session=True)  # fmt: skip

    def kill(self) -> None:
        """End it with all its workers, without a word."""
        if self.process is not None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()

    def network(self, on: bool) -> None:
        """Plug its cable in or out: nobody is told that a connection ended."""
        _run("ip", "link", "set", self.card, "up" if on else "down")

    def mount_another(self) -> None:
        """Another drive of the same name, with the same mark, in place of the proxies' shelf."""
        other = self.base / f"host{self.number}" / "other"
        other.mkdir(exist_ok=True)
        shutil.copy2(self.base / "shelves" / "Laptop" / ".agile-shadow-shelf.json", other)
        _run(*self.inside("mount", "--bind", str(other), str(self.drives / "Laptop")))

    def fill(self) -> None:
        """Its own drive, where it keeps state and caches, is full."""
        _run(*self.inside("mount", "-t", "tmpfs", "-o", "size=16k", "tmpfs", str(self.home / "cache")))
        _run(*self.inside("sh", "-c", f"cat /dev/zero > {self.home}/cache/full 2>/dev/null || true"))


@dataclass
class World:
    """The hosts, with the shelves of the one that asks below ``base``/shelves, mounted elsewhere at each helper."""

    base: Path
    hosts: list[Host] = field(default_factory=list)

    def __post_init__(self) -> None:
        shutil.rmtree(self.base, ignore_errors=True)
        for name in _SHELVES:
            (self.base / "shelves" / name).mkdir(parents=True)
        self.home = self.base / "asker"
        self.home.mkdir(parents=True)
        _run("ip", "link", "set", "lo", "up")

    def command(self, *arguments: str) -> list[str]:
        return [sys.executable, "-m", "agile_shadow.cli", *arguments]

    def ask(self, *arguments: str) -> str:
        """A command on the machine that asks: what it printed."""
        done = subprocess.run(self.command(*arguments), env=_environment(self.home), capture_output=True, text=True)
        return done.stdout

    def add(self, clock_off: bool = False) -> Host:
        """One more helper's machine, invited."""
        number = len(self.hosts) + 1
        host = Host(number, self.base, subprocess.Popen(["unshare", "--net", "--mount", "sleep", "infinity"]))
        host.clock_off = clock_off
        _until(lambda: os.readlink(f"/proc/{host.shell.pid}/ns/net") != os.readlink("/proc/self/ns/net"), 5, "a host")
        near, far = f"10.77.{number}.1", f"10.77.{number}.2"
        _run("ip", "link", "add", host.card, "type", "veth", "peer", "name", "eth0", "netns", str(host.shell.pid))
        _run("ip", "addr", "add", f"{near}/30", "dev", host.card)
        _run("ip", "link", "set", host.card, "up")
        for command in (("ip", "link", "set", "lo", "up"), ("ip", "addr", "add", f"{far}/30", "dev", "eth0"),
                        ("ip", "link", "set", "eth0", "up")):  # fmt: skip
            _run(*host.inside(*command))
        for name in _SHELVES:
            (host.drives / name).mkdir(parents=True)
            _run(*host.inside("mount", "--bind", str(self.base / "shelves" / name), str(host.drives / name)))
        for kind in ("state", "cache", "config"):
            (host.home / kind).mkdir(parents=True)
        _run(*host.inside("mount", "-t", "tmpfs", "tmpfs", str(self.base / "shelves")))  # not to be seen there
        _run(*host.inside("mount", "-t", "tmpfs", "tmpfs", str(self.home)))
        host.line = self.ask("helpers", "invite", f"Host {number}", "--address", near).strip()
        self.hosts.append(host)
        return host

    def heard(self, count: int) -> None:
        """Wait until so many helpers are there."""
        _until(lambda: self.ask("helpers", "list", "--json").count('"ready"') >= count, 40, f"{count} helpers")

    def begin(self, card: Path, preset: Path) -> subprocess.Popen[bytes]:
        """Begin to ingest a card."""
        folder = self.base / "shelves"
        arguments = self.command(
            "ingest", "--project", str(self.base / "film.otio"), "--preset", str(preset), "--originals",
            str(folder / "Boathouse"), "--proxies", str(folder / "Laptop"), str(card), "--now", "--json",
        )  # fmt: skip
        with (self.base / "report.json").open("wb") as out, (self.base / "said.txt").open("wb") as said:
            return subprocess.Popen(arguments, env=_environment(self.home), stdout=out, stderr=said)

    def outcome(self) -> dict[str, Any]:
        """Files on the shelves by their bytes, the report without times and paths of this run, and who made what."""
        shelves = self.base / "shelves"
        files = {
            path.relative_to(shelves).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
            for path in sorted(shelves.rglob("*"))
            if path.is_file() and not path.name.startswith(".agile-shadow-shelf")
            and "ascmhl" not in path.relative_to(shelves).parts
        }  # fmt: skip
        text = (self.base / "report.json").read_text().replace(str(self.base), "BASE")
        report = json.loads(text) if text else {}
        for name in ("took", "manifests"):
            report.pop(name, None)
        path = self.home / "state" / "agile-shadow.log"
        log = path.read_text() if path.exists() else ""
        helped = re.findall(r"helper [0-9a-f]{16} made (\S+)", log)
        lost = re.findall(r"not heard|is gone", log)
        return {"files": files, "report": report, "helped": len(helped), "lost": len(lost)}


PRESET = {
    "schema": "agile-shadow preset", "version": 2, "name": "Hosts",
    "proxies": {"scale": "1/2", "codec": "mjpeg", "make": "always"}, "when": {"at_a_time": 1},
}  # fmt: skip


def _seen_working(world: World, run: subprocess.Popen[bytes], how_many: int = 1) -> None:
    """Wait until helpers have made something, or the run is over."""
    log = world.home / "state" / "agile-shadow.log"
    _until(lambda: run.poll() is not None or (log.exists() and log.read_text().count(" made ") >= how_many), 120,
           "a helper that works")  # fmt: skip


Disturb = Callable[[World, subprocess.Popen[bytes], Host], None]


def _killed(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    host.kill()


def _unplugged(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    host.network(False)


def _another_drive(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    host.mount_another()


def _full(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    host.fill()


def _scheduler_killed(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    pid = world.home / "state" / "helpers" / "scheduler.pid"
    os.kill(int(pid.read_text()), signal.SIGKILL)


def _asleep(world: World, run: subprocess.Popen[bytes], host: Host) -> None:
    """The machine that asks sleeps: its program, its workers and its scheduler stand still for a while."""
    pid = int((world.home / "state" / "helpers" / "scheduler.pid").read_text())
    for number in (run.pid, pid):
        os.kill(number, signal.SIGSTOP)
    time.sleep(25)
    for number in (run.pid, pid):
        os.kill(number, signal.SIGCONT)


def _nothing(world: World, run: subprocess.Popen[bytes], host: Host) -> None: ...


DISTURBANCES: dict[str, Disturb] = {
    "nothing": _nothing, "killed": _killed, "unplugged": _unplugged, "another drive": _another_drive, "full": _full,
    "clock": _nothing, "scheduler killed": _scheduler_killed, "asleep": _asleep,
}  # fmt: skip


def disturbed(base: Path, card: Path, kind: str, seed: int) -> dict[str, Any]:
    """An ingest with two helpers that are disturbed in one way at a random moment, against one without helpers.

    ``kind`` may be two, joined by " and ": the second one's is the other helper.
    """
    calm = _calm(base, card)
    world = World(base / "run")
    preset = base / "preset.json"
    preset.write_text(json.dumps(PRESET))
    for _number in range(2):
        world.add(kind == "clock").join()
    world.heard(2)
    run = world.begin(card, preset)
    _seen_working(world, run, 1)
    time.sleep(random.Random(seed).random() * 1.5 if seed else 0.0)
    going = run.poll() is None
    for one, host in zip(kind.split(" and "), world.hosts, strict=False):
        DISTURBANCES[one](world, run, host)
    begun = time.monotonic()
    run.wait(240)
    found = world.outcome()
    world.ask("helpers", "stop")
    differ = [name for name in {*calm["files"], *found["files"]} if calm["files"].get(name) != found["files"].get(name)]
    return {
        "kind": kind, "in_time": going, "helped": found["helped"], "lost": found["lost"],
        "files": len(found["files"]), "differ": sorted(differ), "same_report": calm["report"] == found["report"],
        "left": [name for name in found["files"] if Path(name).name.startswith(".")],
        "went_on": round(time.monotonic() - begun, 1),
    }  # fmt: skip


def _calm(base: Path, card: Path) -> dict[str, Any]:
    """The same ingest without helpers; made once for a folder."""
    kept = base / "calm.json"
    if not kept.exists():
        world = World(base / "run")
        preset = base / "preset.json"
        preset.write_text(json.dumps(PRESET))
        world.begin(card, preset).wait(240)
        kept.write_text(json.dumps(world.outcome()))
    found: dict[str, Any] = json.loads(kept.read_text())
    return found


def doors(base: Path, card: Path, kind: str, seed: int) -> dict[str, Any]:
    """Who comes in: a stranger, one with another suite's certificate, a helper that was sent away, and a helper that
    asks for what is none of its business."""
    world = World(base / "doors")
    host, sent_away = world.add(), world.add()
    host.join()
    sent_away.join()
    world.heard(2)
    world.ask("helpers", "send-away", "Host 2")
    _until(lambda: world.ask("helpers", "list", "--json").count('"ready"') == 1, 20, "one that is sent away")
    sent_away.kill()
    other = World(base / "other suite")
    stranger = other.ask("helpers", "invite", "Stranger", "--address", "10.77.1.1").strip()
    other.ask("helpers", "stop")
    port = json.loads((world.home / "config" / "helpers" / "suite.json").read_text())["port"]
    stranger_file = str(Path(__file__).with_name("stranger.py"))
    found = {"kind": "doors", "listening": sorted(_listening())}
    scheduler = int((world.home / "state" / "helpers" / "scheduler.pid").read_text())
    assert host.process is not None
    found["nice"] = [os.getpriority(os.PRIO_PROCESS, pid) for pid in (scheduler, host.process.pid)]
    there = next(_listening(host)).rpartition(":")[2]
    strangers = (
        ("sent away", sent_away.line), ("other suite", stranger), ("nobody", ""), ("helper", host.line, "helper")
    )
    at_home = {name: host.inside(sys.executable, stranger_file, line, "10.77.1.1", str(port), *more)
               for name, line, *more in strangers}  # fmt: skip
    tries = {**at_home, "at the helper": [sys.executable, stranger_file, sent_away.line, "10.77.1.2", there, "helper"]}
    begun = {  # all at once: each waits for an answer that does not come
        name: subprocess.Popen(command, env=_environment(base / f"stranger {name}"), text=True,
                               stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        for name, command in tries.items()
    }  # fmt: skip
    for name, process in begun.items():
        out, problems = process.communicate(timeout=90)
        found[name] = out.strip() or problems[-500:]
    found["still there"] = world.ask("helpers", "list", "--json").count('"ready"')
    world.ask("helpers", "stop")
    return found


def film(base: Path, card: Path, kind: str, seed: int) -> dict[str, Any]:
    """A film made here, by a helper, and by a helper that is killed on the way."""
    world = World(base / "film")
    preset = base / "preset.json"
    preset.write_text(json.dumps(PRESET))
    world.begin(card, preset).wait(240)
    project, folder = world.base / "film.otio", world.base / "shelves" / "Boathouse"
    save_project(_cut(load_project(project)), project)
    export = ("export", "--project", str(project), "--film", "DNxHR SQ, MOV")
    world.ask(*export, "--out", str(folder / "here.mov"))
    host = world.add()
    host.join()
    world.heard(1)
    world.ask(*export, "--out", str(folder / "there.mov"), "--helper")
    run = subprocess.Popen(world.command(*export, "--out", str(folder / "killed.mov"), "--helper"),
                           env=_environment(world.home), stdout=subprocess.DEVNULL)  # fmt: skip
    _until(lambda: run.poll() is not None or list(folder.glob(".killed.mov.*.part")), 60, "a film that is made")
    host.kill()
    run.wait(240)
    found = world.outcome()
    world.ask("helpers", "stop")
    names = ("here", "there", "killed")
    texts = [(folder / f"{name}.mov.certificate.json").read_text() for name in names]
    return {
        "kind": kind, "films": len({found["files"].get(f"Boathouse/{name}.mov") for name in names}),
        "helped": found["helped"], "left": [name for name in found["files"] if Path(name).name.startswith(".")],
        "said": ["by a helper" in text for text in texts], "paths": [str(host.drives) in text for text in texts],
        "originals": len({json.dumps(json.loads(text)["originals"]) for text in texts}),
    }  # fmt: skip


def _cut(project: Project) -> Project:
    """A second of each of three clips."""
    clips = [clip for clip in project.clips if clip.original.info.kind == "video"][:3]
    project = project.with_timeline_settings_of(clips[0])
    line = project.timeline
    for clip in clips:
        line = append(line, clip.piece(Fraction(0), Fraction(1)))
    return project.but(timeline=line)


def _listening(host: Host | None = None) -> Iterator[str]:
    """Addresses at which anything on the machine that asks, or on a helper's, listens."""
    command = ["ss", "-Hltn"]
    out = subprocess.run(host.inside(*command) if host else command, capture_output=True, text=True).stdout
    for line in out.splitlines():
        yield line.split()[3]


def main() -> None:
    """One scenario; the last line printed is what came of it."""
    scenario, base, card, seed = sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3]), int(sys.argv[4])
    base.mkdir(parents=True, exist_ok=True)
    call = doors if scenario == "doors" else film if scenario == "film" else disturbed
    print(json.dumps(call(base, card, scenario, seed)), flush=True)


if __name__ == "__main__":
    main()
