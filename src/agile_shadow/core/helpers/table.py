"""What may be asked of a helper: functions of this program by name, requests and answers as plain JSON."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

LONGEST = 32 << 20  # letters of a request or an answer

Named = Callable[[str, dict[str, Any]], str]
_runs: list[Named] = []


def run_named(name: str, token: str, request: str) -> str:
    """Run a function of the table: what the engine calls on a helper. ``token`` names this one job; ``request`` and the
    answer are JSON. Never raises: what went wrong is in the answer."""
    try:
        if len(request) > LONGEST:
            return json.dumps({"failed": "the request is too long"})
        return _runs[-1](token, {"name": name, **json.loads(request)}) if _runs else json.dumps({"failed": "no helper"})
    except Exception as error:
        return json.dumps({"failed": f"{type(error).__name__}: {error}"[:2000]})


def serve(run: Any) -> None:
    """Have requests done by ``run(token, request)``, which gives JSON: called once by a helper's process."""
    _runs[:] = [run]
