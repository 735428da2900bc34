"""Ctrl-C while the command line's modules are loaded: it ends without a traceback.

Imported before everything else; `main` has its own handler.
"""

import os
import signal


def _leave(number: int, _: object) -> None:
    os._exit(130)


def begin() -> None:
    """Let Ctrl-C end the process at once, where nobody else handles it."""
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        try:
            signal.signal(signal.SIGINT, _leave)
        except ValueError:  # not in the main thread
            return


def done() -> None:
    """Give Ctrl-C back."""
    if signal.getsignal(signal.SIGINT) is _leave:
        signal.signal(signal.SIGINT, signal.default_int_handler)


begin()
