"""Answers of slow pure functions of the core, remembered between tests of what calls them.

Tests of the server and of the command line find, read and fit the same few charts of the demo
over and over. What the core answers is tested by its own tests, which remember nothing.
"""

import functools
import hashlib
import pickle
import sys
import tempfile
from contextlib import contextmanager
from pathlib import Path

from syntonos.core.charts import detection, reading, refine
from syntonos.core.errors import ColourError
from syntonos.core.matching import encoding_check, fit, places
from syntonos.core.media import manifest

FUNCTIONS = (
    detection.find_chart, detection.find_charts, refine.refine_corners, reading.read_chart,
    fit.fit_match, places.find_places, encoding_check.check_encoding, manifest.hash_file,
)  # fmt: skip


def _state(file):
    """What changes where a file does."""
    if not Path(file).is_file():
        return None
    said = Path(file).stat()
    return said.st_size, said.st_mtime_ns, said.st_ino


def remembering(function, folder):
    """Return a function that keeps its answers, errors too, by all that it was asked with."""

    @functools.wraps(function)
    def asked(*args, **named):
        try:
            files = [_state(arg) for arg in args if isinstance(arg, str | Path)]
            data = pickle.dumps((function.__qualname__, args, sorted(named.items()), files))
        except (pickle.PicklingError, AttributeError, TypeError):  # told how far it is
            return function(*args, **named)
        kept = folder / hashlib.sha256(data).hexdigest()
        if not kept.exists():
            try:
                answer = function(*args, **named), None
            except ColourError as error:
                answer = None, (type(error), error.message, error.hint, error.code)
            with tempfile.NamedTemporaryFile(dir=folder, delete=False) as new:
                pickle.dump(answer, new)
            Path(new.name).replace(kept)
        value, error = pickle.loads(kept.read_bytes())  # noqa: S301 - our own
        if error is not None:
            kind, message, hint, code = error
            raise kind(message, hint=hint, code=code)
        return value

    return asked


def _put(old, new):
    for name, module in list(sys.modules.items()):
        if name.startswith("syntonos."):
            for attribute, value in list(vars(module).items()):
                if value is old:
                    setattr(module, attribute, new)


@contextmanager
def remembered(folder):
    """Let every module that has one of the functions ask the one that remembers."""
    folder.mkdir(parents=True, exist_ok=True)
    pairs = [(function, remembering(function, folder)) for function in FUNCTIONS]
    for function, stand_in in pairs:
        _put(function, stand_in)
    yield
    for function, stand_in in pairs:  # in modules that were imported meanwhile, too
        _put(stand_in, function)
