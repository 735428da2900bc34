"""Reading values of a chain document strictly: numbers that are numbers, fields that are known."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, TypeAlias

import numpy as np

from syntonos.core.encodings import LEVELS, find_encoding
from syntonos.core.errors import ChainError

Triple: TypeAlias = tuple[float, float, float]
HINT: Final = "Write the chain again with Syntonos, or mend the named place."


def failure(message: str, hint: str = HINT, code: str = "chain.invalid") -> ChainError:
    """Return the error that a document is not understood."""
    return ChainError(message, hint=hint, code=code)


def numbers(value: Any, place: str, shape: tuple[int, ...]) -> Any:
    """Return finite numbers of a shape, as lists or one float."""
    try:
        array = np.array(value, np.float64)
    except (TypeError, ValueError):
        array = np.array(np.nan)
    if array.shape != shape or not np.isfinite(array).all():
        want = " x ".join(map(str, shape)) or "one"
        raise failure(f"{place}: {want} finite number(s) were expected, found {value!r}.")
    return array.tolist()


def number(value: Any, place: str) -> float:
    """Return one finite number."""
    return float(numbers(value, place, ()))


def triple(value: Any, place: str) -> Triple:
    """Return three finite numbers."""
    return tuple(numbers(value, place, (3,)))


def share(value: Any, place: str) -> float:
    """Return a number from 0 to 1."""
    found = number(value, place)
    if not 0 <= found <= 1:
        raise failure(f"{place} is {found:g}.", "Choose a value from 0 to 1.")
    return found


def known_fields(stage: Any, kinds: Mapping[str, type[Any]], place: str) -> type[Any]:
    """Return the class of a stage's kind, which has all the fields that the stage has."""
    kind = stage.get("kind") if isinstance(stage, dict) else None
    if not isinstance(kind, str) or kind not in kinds:
        raise failure(f"{place} has kind {kind!r}.", f"Known are {', '.join(kinds)}.")
    cls = kinds[kind]
    if unknown := set(stage) - set(cls.__dataclass_fields__):
        raise failure(f"{place} ({kind}) has unknown fields {sorted(unknown)}.")
    return cls


def encoded(values: dict[str, Any], place: str) -> dict[str, Any]:
    """Check encoding and levels of a stage or step."""
    if "encoding" in values:
        values["encoding"] = find_encoding(str(values["encoding"])).slug
    if values.get("levels", "full") not in LEVELS:
        raise failure(f"{place} has levels {values['levels']!r}.", "Say full or legal.")
    return values
