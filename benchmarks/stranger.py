"""Somebody who is not to come in, trying it with the engine's own client: what each try gave, a line of JSON."""

from __future__ import annotations

import json
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any


def main() -> None:
    """LINE ADDRESS PORT [helper]: with the certificate of a line, or without any."""
    line, address, port = sys.argv[1:4]
    from distributed import Client
    from distributed.security import Security

    if line:
        from agile_shadow.core.helpers.line import JoinLine

        given = JoinLine.read(line).credentials
        folder = Path(tempfile.mkdtemp())
        names = {"ca": given.authority, "cert": given.certificate, "key": given.key}
        for name, text in names.items():
            (folder / name).write_text(text)
        security: Any = Security(
            tls_ca_file=str(folder / "ca"), tls_client_cert=str(folder / "cert"), tls_client_key=str(folder / "key"),
            require_encryption=True,
        )  # fmt: skip
        where = f"tls://{address}:{port}"
    else:
        security, where = None, f"tcp://{address}:{port}"
    found = {"connect": _tried(lambda: str(Client(where, security=security, timeout=4).scheduler_info()))}
    if len(sys.argv) > 4:
        found |= _asked(where, security)
    print(json.dumps(found), flush=True)
    os._exit(0)  # the engine would go on trying


def _asked(where: str, security: Any) -> dict[str, str]:
    """Calls that a helper has no business with, each over a connection of its own."""
    import asyncio

    from distributed.core import connect

    async def call(message: dict[str, Any]) -> str:
        comm = await connect(where, timeout=4, **security.get_connection_args("client"))
        await comm.write({**message, "reply": True})
        return str(await asyncio.wait_for(comm.read(), 4))

    calls: list[dict[str, Any]] = [
        {"op": "identity"}, {"op": "broadcast", "msg": {"op": "ping"}}, {"op": "register-client", "client": "x"},
        {"op": "register-worker", "name": "0" * 16, "address": "tls://10.77.1.2:1"}, {"op": "terminate"},
    ]  # fmt: skip
    return {str(one["op"]): _tried(lambda one=one: asyncio.run(call(one))) for one in calls}  # type: ignore[misc]


def _tried(call: Callable[[], str]) -> str:
    try:
        return f"came in: {call()[:200]}"
    except BaseException as error:
        return f"refused ({type(error).__name__})"


if __name__ == "__main__":
    main()
