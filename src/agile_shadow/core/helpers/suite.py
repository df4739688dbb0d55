"""What this machine keeps as the one that asks: its authority, where it listens, and which helpers it invited."""

from __future__ import annotations

import fcntl
import json
import os
import secrets
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import Field, ValidationError

from ..errors import ShadowError, from_os_error
from ..files import written_atomically
from ..late import psutil
from ..log import config_folder, state_folder
from ..strict import Name, Strict
from .certificates import ASKER, Authority, Credentials, helper_name
from .line import JoinLine

_MOST = 4 << 20  # bytes of a file that is read
PORT = 48_300  # the first that is tried


class Member(Strict):
    """A helper that was invited. ``sent_away``: its certificate counts no more. ``paused``: it gets nothing."""

    id: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
    name: Name
    invited: float
    paused: bool = False
    sent_away: bool = False


class _Kept(Strict):
    certificate: Annotated[str, Field(max_length=10_000)]
    key: Annotated[str, Field(max_length=10_000)]
    own_certificate: Annotated[str, Field(max_length=10_000)]
    own_key: Annotated[str, Field(max_length=10_000)]
    port: Annotated[int, Field(ge=1, le=65_535)]
    addresses: Annotated[tuple[Name, ...], Field(max_length=100)] = ()
    members: Annotated[tuple[Member, ...], Field(max_length=5000)] = ()


@dataclass(frozen=True)
class Suite:
    """``folder`` holds it; nobody but the user may read it."""

    folder: Path

    @classmethod
    def of_this_user(cls) -> Suite:
        """The one of whoever runs this."""
        return cls(config_folder() / "helpers")

    @property
    def path(self) -> Path:
        """Where it is kept."""
        return self.folder / "suite.json"

    @property
    def exists(self) -> bool:
        """Whether anybody was ever invited; without it nothing listens."""
        return self.path.exists()

    def members(self) -> tuple[Member, ...]:
        """Those that were invited and not sent away. Raises ShadowError."""
        return tuple(one for one in self._read().members if not one.sent_away) if self.exists else ()

    def counts(self, identity: str) -> bool:
        """Whether a helper may connect. Raises ShadowError."""
        return any(one.id == identity for one in self.members())

    def credentials(self) -> Credentials:
        """Those of the one that asks. Raises ShadowError."""
        kept = self._read()
        return Credentials(kept.own_certificate, kept.own_key, kept.certificate)

    def port(self) -> int:
        """Where the scheduler listens. Raises ShadowError."""
        return self._read().port

    def invite(self, name: str, addresses: tuple[str, ...] = (), port: int | None = None) -> JoinLine:
        """A line for one more helper. ``addresses``: of this machine, as the helper reaches it; else all it has.

        Raises ShadowError.
        """
        with self._alone():
            kept = self._read() if self.exists else _new(port)
            if port is not None and port != kept.port:
                kept = kept.model_copy(update={"port": port})
            identity = secrets.token_hex(8)
            member = Member(id=identity, name=name.strip() or f"Helper {len(kept.members) + 1}", invited=time.time())
            addresses = addresses or kept.addresses or own_addresses()
            kept = kept.model_copy(update={"members": (*kept.members, member), "addresses": addresses})
            self._write(kept)
        given = Authority(kept.certificate, kept.key).issue(helper_name(identity))
        return JoinLine(addresses, kept.port, identity, given)

    def pause(self, identity: str, on: bool) -> None:
        """Give a helper nothing, or go on. Raises ShadowError."""
        self._change(identity, paused=on)

    def send_away(self, identity: str) -> None:
        """Its line and its certificate count no more. Raises ShadowError."""
        self._change(identity, sent_away=True)

    def _change(self, identity: str, **values: bool) -> None:
        with self._alone():
            kept = self._read()
            if not any(one.id == identity and not one.sent_away for one in kept.members):
                raise ShadowError("is not one of the helpers", identity, "See the list of helpers.")
            members = tuple(
                one.model_copy(update=values) if one.id == identity else one for one in kept.members
            )
            self._write(kept.model_copy(update={"members": members}))

    @contextmanager
    def _alone(self) -> Iterator[None]:
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            with (self.folder / "lock").open("w") as file:
                fcntl.flock(file, fcntl.LOCK_EX)
                yield
        except OSError as error:
            raise from_os_error(error, self.folder, ShadowError) from error

    def _read(self) -> _Kept:
        try:
            with self.path.open("rb") as file:
                return _Kept.model_validate_json(file.read(_MOST))
        except OSError as error:
            raise from_os_error(error, self.path, ShadowError) from error
        except ValidationError as error:
            raise ShadowError("cannot be read", self.path, "Remove it and invite your helpers anew.") from error

    def _write(self, kept: _Kept) -> None:
        with written_atomically(self.path) as partial:
            write_secret(partial, json.dumps(kept.model_dump(), indent=1) + "\n")


def write_secret(path: Path, text: str) -> None:
    """Write a file that only the user may read. Raises OSError."""
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        os.fchmod(handle, 0o600)
        file.write(text)


def _new(port: int | None) -> _Kept:
    authority = Authority.made()
    own = authority.issue(ASKER)
    return _Kept(
        certificate=authority.certificate, key=authority.key, own_certificate=own.certificate, own_key=own.key,
        port=port or _free_port(),
    )  # fmt: skip


def _free_port() -> int:
    for port in range(PORT, PORT + 100):
        with socket.socket() as one:
            try:
                one.bind(("", port))
            except OSError:
                continue
            return port
    raise ShadowError(f"no port between {PORT} and {PORT + 99} is free", None, "Name one with --port.")


def own_addresses() -> tuple[str, ...]:
    """Addresses (IPv4) at which other machines may reach this one."""
    found = [
        one.address for name, entries in psutil.net_if_addrs().items() for one in entries
        if one.family == socket.AF_INET and not one.address.startswith("127.")
    ]  # fmt: skip
    return tuple(found) or ("127.0.0.1",)


def scheduler_folder() -> Path:
    """Where the scheduler says that it is there."""
    return state_folder() / "helpers"
