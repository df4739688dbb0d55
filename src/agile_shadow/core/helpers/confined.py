"""The engine's own way of sending things, confined: who may connect, what may be asked, and which objects may arrive.

The engine sends messages as msgpack with pickled parts. Here a pickled part may name a short list of the engine's own
classes and this program's one function (:func:`.table.run_named`), and nothing else: so no code comes from the network.
A connection counts only with a certificate of the suite, a helper's only while it was not sent away, and a helper may
only say what a worker has to say.

Imports inside functions: the engine is an extra, and imported when helpers are used.
"""

from __future__ import annotations

import io
import logging
import pickle
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from ..errors import ShadowError
from .certificates import ASKER, Credentials, helper_of, holder

log = logging.getLogger(__name__)

_ALLOWED: Mapping[str, frozenset[str]] = {
    "agile_shadow.core.helpers.table": frozenset(("run_named",)),
    "builtins": frozenset(("set", "frozenset", "list", "tuple", "dict", "str", "int", "float", "bool", "bytes")),
    "collections": frozenset(("OrderedDict",)),
    "dask._expr": frozenset(("LLGExpr", "Expr._reconstruct")),  # a graph on its way to the scheduler
    "dask._task_spec": frozenset(("Task", "Alias", "DataNode", "TaskRef", "List", "Dict", "Tuple", "Set")),
    "distributed.scheduler": frozenset(("KilledWorker", "NoValidWorkerError")),
}

# What a worker has to say to its scheduler: calls, and messages of its stream.
_OF_A_HELPER = frozenset((
    "register-worker", "heartbeat_worker", "unregister", "close", "close-stream", "keep-alive", "log-event",
    "task-finished", "task-erred", "release-worker-data", "add-keys", "long-running", "reschedule", "missing-data",
    "worker-status-change", "steal-response", "request-refresh-who-has",
))  # fmt: skip

Refuses = Callable[[str], str]


class _Confined(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        if name in _ALLOWED.get(module, ()):
            return super().find_class(module, name)
        raise pickle.UnpicklingError(f"{module}.{name} is not taken from the network")


def loads(data: Any, *, buffers: Iterable[Any] = (), **_other: Any) -> Any:
    """Like :func:`pickle.loads`, of what is on the list. Raises pickle.UnpicklingError."""
    return _Confined(io.BytesIO(bytes(data)), buffers=buffers).load()


def confine(own: Credentials, folder: Path, refuses: Refuses, strict: bool) -> Any:
    """From now on, for this whole process: only what is on the list arrives, and only over connections that the suite's
    certificates open. Returns the engine's description of them.

    ``refuses``: why the holder of a certificate of that name is not spoken with, "" where it is. ``strict``: for the
    scheduler, where a helper may only say what a worker has to say. Raises ShadowError where the engine is missing.
    """
    import_engine()
    import dask
    import distributed.protocol.pickle as sent
    from distributed.comm.registry import backends
    from distributed.security import Security

    sent.pickle = SimpleNamespace(
        loads=loads, dumps=pickle.dumps, Pickler=pickle.Pickler, HIGHEST_PROTOCOL=pickle.HIGHEST_PROTOCOL
    )
    dask.config.set(_SETTINGS)
    for name in ("distributed", "tornado"):
        logging.getLogger(name).setLevel(logging.ERROR)
    backends.clear()
    backends["tls"] = _backend(refuses, strict)
    files = _files(own, folder)
    roles = {
        f"tls_{role}_{what}": str(files[what]) for role in ("client", "scheduler", "worker") for what in ("cert", "key")
    }
    return Security(tls_ca_file=str(files["ca"]), require_encryption=True, tls_min_version=0x0304, **roles)


_SETTINGS = {
    "distributed.scheduler.worker-ttl": "20s",
    "distributed.scheduler.allowed-failures": 0,
    "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
    "distributed.worker.memory.terminate": False,
    "distributed.worker.memory.pause": False,
    "distributed.worker.profile.enabled": False,
    "distributed.comm.timeouts.connect": "10s",
    "distributed.comm.timeouts.tcp": "20s",
    "distributed.comm.compression": None,
    "distributed.admin.log-length": 200,
    "distributed.admin.event-loop": "asyncio",
}


def import_engine() -> None:
    """Raises ShadowError with what is missing, where the optional part is not installed."""
    try:
        import cryptography  # noqa: F401
        import distributed  # noqa: F401
    except ImportError as error:
        raise ShadowError(
            f"work with several machines needs a part that is not installed ({error.name})", None,
            "Install it with: pip install agile-shadow[machines]",
        ) from error  # fmt: skip


def _files(own: Credentials, folder: Path) -> dict[str, Path]:
    """The TLS library reads files. Raises ShadowError."""
    from .suite import write_secret

    files = {"ca": own.authority, "cert": own.certificate, "key": own.key}
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for name, text in files.items():
            write_secret(folder / f"{name}.pem", text)
    except OSError as error:
        raise ShadowError("cannot be written", folder, "See whether the drive is full.") from error
    return {name: folder / f"{name}.pem" for name in files}


def _backend(refuses: Refuses, strict: bool) -> Any:
    from distributed.comm.core import CommClosedError
    from distributed.comm.tcp import TLSBackend, TLSConnector, TLSListener

    class Connector(TLSConnector):  # type: ignore[misc]
        async def connect(self, *arguments: Any, **named: Any) -> Any:
            comm = await super().connect(*arguments, **named)
            reason = refuses(_holder(comm))
            if reason:
                comm.abort()
                raise CommClosedError(reason)
            return comm

    class Listener(TLSListener):  # type: ignore[misc]
        async def _prepare_stream(self, stream: Any, address: Any) -> Any:
            ready = await super()._prepare_stream(stream, address)
            if ready is None:
                return None
            name = holder(ready.socket.getpeercert())
            reason = refuses(name)
            if reason:
                log.warning("%s is refused: %s", name or "a stranger", reason)
                ready.close()
                return None
            return ready

        async def on_connection(self, comm: Any, *arguments: Any, **named: Any) -> Any:
            name = _holder(comm)
            if strict and name != ASKER:
                _hold_to_worker(comm, helper_of(name) or "", refuses)
            return await super().on_connection(comm, *arguments, **named)

    class Backend(TLSBackend):  # type: ignore[misc]
        _connector_class = Connector
        _listener_class = Listener

    return Backend()


def _holder(comm: Any) -> str:
    return holder(comm.extra_info.get("peercert"))


def _hold_to_worker(comm: Any, identity: str, refuses: Refuses) -> None:
    """Have a connection bring only what a worker has to say, in its own name."""
    plain_read = comm.read

    async def read(*arguments: Any, **named: Any) -> Any:
        message = await plain_read(*arguments, **named)
        reason = refuses(f"helper-{identity}")
        for one in message if isinstance(message, list | tuple) else (message,):
            reason = reason or _out_of_place(one, identity, _host(comm.peer_address))
        if reason:
            log.warning("helper %s is cut off: %s", identity, reason)
            comm.abort()
            raise OSError(reason)
        return message

    comm.read = read


def _host(address: Any) -> str:
    """Of ``tls://host:port``."""
    return str(address).rpartition("://")[2].rpartition(":")[0]


def _out_of_place(message: Any, identity: str, host: str) -> str:
    """Why a message is not that worker's, at that host; "" where it is."""
    if not isinstance(message, dict) or "op" not in message:
        return ""  # an answer, or the greeting
    if message["op"] not in _OF_A_HELPER:
        return f"it asked for {str(message['op'])[:40]!r}"
    if message["op"] == "register-worker" and message.get("name") != identity:
        return "it came under another name"
    if "address" in message and _host(message["address"]) != host:
        return "it spoke for another machine"
    return ""
