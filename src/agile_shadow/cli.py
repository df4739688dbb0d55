"""The command line: the same core without a window.

With ``--json`` one JSON object goes to stdout and everything else to stderr. Exit status 0 only if all went well.

Imports inside functions: workers are imported for commands that open media alone.
"""

from __future__ import annotations

import logging
import os
import signal
import sys
from contextlib import AbstractContextManager, nullcontext

import typer

from .commands.shared import answer, refuse, say
from .commands.table import NO_MEDIA, WORK, LateGroup
from .core.errors import Cancelled, sentence
from .core.log import set_up_logging
from .core.threads import told_of_all

app = typer.Typer(
    cls=LateGroup, no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None
)


@app.callback()
def _all() -> None:
    """Proxies of camera footage, the originals they belong to, and films from those."""


def main() -> None:
    """Entry point: whatever happens, one sentence, with ``--json`` one object, and no traceback."""
    try:
        set_up_logging()
    except OSError as error:
        say(f"There is no log: {sentence(error)}")
    told_of_all(say)
    signal.signal(signal.SIGTERM, signal.default_int_handler)  # ended by a signal as by Ctrl+C: with an answer
    with _guard(sys.argv[1:]):
        status = run(sys.argv[1:])
    sys.exit(status)


def _guard(arguments: list[str]) -> AbstractContextManager[object]:
    """A worker opens every media file before this process does, for commands that open any."""
    if not arguments or arguments[0] in NO_MEDIA or {"--help", "-h"} & set(arguments):
        return nullcontext()
    from .core.jobs.nursery import NURSERY
    from .core.jobs.vetting import Vetting

    if arguments[0] in WORK:
        NURSERY.prepare(WORK[arguments[0]])

    return Vetting()


def run(arguments: list[str]) -> int:
    """Do a command; its exit status."""
    try:
        status = app(arguments, standalone_mode=False, prog_name="agile-shadow")
    except (typer.Abort, KeyboardInterrupt, Cancelled):
        refuse("Stopped.", "--json" in arguments)
        return 130
    except BrokenPipeError:  # nobody reads the answer any more
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except Exception as error:
        if hasattr(error, "format_message") and hasattr(error, "show"):  # the words of the call are off
            error.show()
            if "--json" in arguments:
                answer({"error": error.format_message()}, True, lambda: iter(()))
            return int(getattr(error, "exit_code", 2))
        logging.getLogger(__name__).exception("not foreseen")
        refuse(sentence(error), "--json" in arguments)
        return 1
    return status if isinstance(status, int) else 0


if __name__ == "__main__":
    main()
