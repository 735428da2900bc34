"""Making changes that the log knows of, and undoing them."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, Final, TypeVar

from django.apps import apps
from django.core import serializers
from django.db import IntegrityError, models, transaction
from django.db.models import ProtectedError, QuerySet

from syntonos.server.api.errors import ConflictError
from syntonos.server.history import context
from syntonos.server.history.models import Change, Identified, Revision
from syntonos.server.history.words import field_words, value_words

R = TypeVar("R", bound=Revision)
Edit = dict[str, Any]

STEPS_KEPT: Final = 200  # how many of one's own steps can be undone
_UNDO, _REDO = "undo", "redo"

# Called with the group of a step before it is undone: jobs that still work on it are stopped.
before_undo: list[Callable[[uuid.UUID], None]] = []


def head_of(production_id: int) -> int:
    """Return the sequence of the newest entry of a production's log; 0 where there is none."""
    newest = Change.objects.filter(production_id=production_id).aggregate(m=models.Max("sequence"))
    return newest["m"] or 0


class Step:
    """Collects the edits of one entry; rows are changed through it."""

    def __init__(self, production_id: int, base: int | None, group: uuid.UUID) -> None:
        self.production_id, self.base, self.group = production_id, base, group
        self.edits: list[Edit] = []

    def change(self, row: Identified, values: Mapping[str, Any]) -> bool:
        """Set fields of a row that is stored, and save only these; says whether any changed.

        Parameters
        ----------
        row
            Read again here, so that nothing else that it holds is written back.
        values
            By field; a dot leads into a JSON field, where None takes a key out.

        Raises
        ------
        ConflictError
            change.stale: one of the fields was changed after `base` by somebody else, to something
            else.
        """
        row.refresh_from_db()
        wanted = {path: value for path, value in values.items() if _get(row, path) != value}
        self._check_base(row, wanted)
        for path, value in wanted.items():
            self.edits.append({
                "op": "set", "model": row._meta.label_lower, "uuid": str(row.uuid), "field": path,
                "before": _get(row, path), "after": value,
            })  # fmt: skip
            _set(row, path, value)
        if wanted:
            columns = {_column(row, path) for path in wanted}
            row.clean_fields(exclude={f.name for f in row._meta.fields} - _checked(row, columns))
            row.save(update_fields=sorted(columns))
        return bool(wanted)

    def created(self, row: Identified) -> None:
        """Note that a row was made."""
        self.edits.append({"op": "create", "model": row._meta.label_lower, "uuid": str(row.uuid)})

    def append(self, row: R, rows: QuerySet[R], base_number: int) -> R:
        """Store a revision as the newest and the one in force.

        Raises
        ------
        ConflictError
            revision.stale_base, when the one with `base_number` (0 for none) is not in force.
        """
        last = rows.aggregate(models.Max("number"))["number__max"] or 0
        in_force = rows.filter(is_current=True).first()
        now = in_force.number if in_force is not None else 0
        if now != base_number:
            raise ConflictError(
                "revision.stale_base",
                f"This was made on {_revision_words(base_number)}, but {_revision_words(now)} "
                "is in force now.", "Look at that one, then do it again.",
                base=base_number, newest=now,
            )  # fmt: skip
        for before in rows.filter(is_current=True):
            self.change(before, {"is_current": False})
        row.number, row.is_current = last + 1, False
        row.save(force_insert=True)
        self.change(row, {"is_current": True})
        return row

    def _check_base(self, row: Identified, wanted: Mapping[str, Any]) -> None:
        if self.base is None:
            return
        later = Change.objects.filter(production_id=self.production_id, sequence__gt=self.base)
        for change in later:
            for edit in change.edits:
                path = edit.get("field", "")
                if edit["uuid"] == str(row.uuid) and path in wanted:
                    raise ConflictError(
                        "change.stale",
                        f"{field_words(path).capitalize()} of {row} was changed to "
                        f"{value_words(path, edit['after'])} by {who_words(change)} at "
                        f"{change.created:%H:%M}; here it would become "
                        f"{value_words(path, wanted[path])}.",
                        "Look at it as it is now; save again to overrule it.",
                        base=self.base, newest=change.sequence, field=path, theirs=edit["after"],
                        yours=wanted[path],
                    )  # fmt: skip


def _revision_words(number: int) -> str:
    return f"revision {number}" if number else "none"


def who_words(change: Change) -> str:
    """Say who made a change, as seen by who acts now."""
    if change.author_name:
        return change.author_name
    return "another window" if change.author and change.author == context.author().mark else (
        "somebody else"
    )  # fmt: skip


@contextmanager
def step(
    production_id: int, kind: str, words: Callable[[Step], str] | str, *, base: int | None = None,
    undoable: bool = True,
) -> Iterator[Step]:  # fmt: skip
    """Make changes as one entry of the log, wholly or not at all.

    `words` says what was done; as a function it is asked at the end. Where nothing changed there is
    no entry. `base` is the newest entry that the author had seen.
    """
    who = context.author()
    inside = context.group()
    group = inside or uuid.uuid4()
    with transaction.atomic(), context.acting(who, group):
        made = Step(production_id, base, group)
        yield made
        if not made.edits and undoable:
            return
        text = words if isinstance(words, str) else words(made)
        _enter(production_id, kind, text, made.edits, group, base=base, undoable=undoable)
        if inside is None and undoable:
            _pass_undone(production_id, who.mark)


@contextmanager
def together(production_id: int) -> Iterator[None]:
    """Let the steps that are made inside be one: they are undone in one go.

    Each is stored by itself, so that a job that one of them starts finds it stored.
    """
    who = context.author()
    with context.acting(who, uuid.uuid4()):
        yield
    _pass_undone(production_id, who.mark)


def _pass_undone(production_id: int, mark: str) -> None:
    # Another step of one's own after an undo: what was undone cannot be done again.
    rows = Change.objects.filter(production_id=production_id, author=mark, is_undone=True)
    rows.update(is_passed=True)


def _enter(
    production_id: int, kind: str, words: str, edits: list[Edit], group: uuid.UUID,
    *, base: int | None = None, undoable: bool = True, undoes: uuid.UUID | None = None,
) -> Change:  # fmt: skip
    who = context.author()
    return Change.objects.create(
        production_id=production_id, sequence=head_of(production_id) + 1, group=group,
        author=who.mark, author_name=who.name, base=base, kind=kind, words=words[:300],
        edits=edits, undoes=undoes, is_undoable=undoable,
    )  # fmt: skip


def forget_creation(row: Identified) -> None:
    """Take the entry of a row's creation out of the log: it comes to nothing after all."""
    edits = [{"op": "create", "model": row._meta.label_lower, "uuid": str(row.uuid)}]
    Change.objects.filter(edits=edits).delete()


def changed_words(name: str, made: Step) -> str:
    """Say what was changed of something: fields with what they were and are."""
    edits = [e for e in made.edits if e["op"] == "set"]
    parts = [
        f"{field_words(e['field'])} {value_words(e['field'], e['before'])} → "
        f"{value_words(e['field'], e['after'])}" for e in edits
    ]  # fmt: skip
    return f"{name}: {', '.join(parts)}" if parts else name


# Undo and redo


def _own(production_id: int) -> QuerySet[Change]:
    rows = Change.objects.filter(production_id=production_id, author=context.author().mark)
    return rows.exclude(author="").filter(is_undoable=True, undoes=None)


def next_undo(production_id: int) -> Change | None:
    """Return the newest entry of the step of one's own that would be undone."""
    newest = list(_own(production_id).order_by("-sequence").values_list("group", flat=True)[:1000])
    kept = set(list(dict.fromkeys(newest))[:STEPS_KEPT])
    found = _own(production_id).filter(is_undone=False).order_by("-sequence").first()
    return found if found is not None and found.group in kept else None


def next_redo(production_id: int) -> Change | None:
    """Return an entry of the step of one's own that would be done again."""
    rows = _own(production_id).filter(is_undone=True, is_passed=False)
    return rows.order_by("sequence").first()


def step_words(change: Change) -> str:
    """Say what a step did: the words of its first entry, and how many came of it."""
    rows = list(Change.objects.filter(group=change.group, undoes=None).order_by("sequence"))
    more = len(rows) - 1
    return rows[0].words + (f", and {more} more" if more else "")


def undo(production_id: int) -> Change:
    """Take back one's own newest step.

    Raises
    ------
    ConflictError
        undo.nothing; undo.built_on, when somebody has gone on from it.
    """
    found = next_undo(production_id)
    if found is None:
        raise ConflictError("undo.nothing", "There is no step of yours to undo.", "Nothing to do.")
    for hook in before_undo:
        hook(found.group)
    with transaction.atomic():
        rows = list(
            Change.objects.filter(group=found.group, undoes=None, is_undone=False)
            .order_by("-sequence")
        )  # fmt: skip
        if not rows:  # another request took it back meanwhile: two presses in quick succession
            return undo(production_id)
        words = step_words(found)
        edits = [edit for row in rows for edit in reversed(row.edits)]
        done = _apply([_inverse(edit) for edit in edits], words, rows[0])
        Change.objects.filter(pk__in=[row.pk for row in rows]).update(is_undone=True)
        return _enter(production_id, _UNDO, f"Undone: {words}", done, uuid.uuid4(),
                      undoes=found.group)  # fmt: skip


def redo(production_id: int) -> Change:
    """Do again what was undone last.

    Raises
    ------
    ConflictError
        redo.nothing; undo.built_on, when somebody has changed the same since.
    """
    with transaction.atomic():
        found = next_redo(production_id)
        if found is None:
            raise ConflictError("redo.nothing", "There is nothing to do again.", "Nothing to do.")
        last = Change.objects.filter(undoes=found.group, kind=_UNDO).latest("sequence")
        words = step_words(found)
        done = _apply([_inverse(edit) for edit in reversed(last.edits)], words, last)
        Change.objects.filter(group=found.group, undoes=None).update(is_undone=False)
        return _enter(production_id, _REDO, f"Done again: {words}", done, uuid.uuid4(),
                      undoes=found.group)  # fmt: skip


def _inverse(edit: Edit) -> Edit:
    if edit["op"] == "set":
        return {**edit, "before": edit["after"], "after": edit["before"]}
    return {**edit, "op": "delete" if edit["op"] == "create" else "create"}


def _apply(edits: list[Edit], words: str, since: Change) -> list[Edit]:
    """Apply edits; returns them as they would have to be taken back."""
    done: list[Edit] = []
    for edit in edits:
        model = apps.get_model(edit["model"])
        if edit["op"] == "create":
            for found in serializers.deserialize("python", [edit["row"]]):
                found.save(force_insert=True)
            done.append({k: v for k, v in edit.items() if k != "row"})
            continue
        row = model._base_manager.filter(uuid=edit["uuid"]).first()
        if row is None:
            raise _built_on(words, edit, since, "it is not there any more")
        if edit["op"] == "delete":
            (plain,) = serializers.serialize("python", [row])
            try:
                with transaction.atomic():
                    row.delete()
            except (ProtectedError, IntegrityError) as error:
                raise _built_on(words, edit, since, f"something stands on {row}") from error
            done.append({**edit, "row": _json(plain)})
            continue
        if _get(row, edit["field"]) != edit["before"]:
            raise _built_on(words, edit, since, "it was changed since")
        _set(row, edit["field"], edit["after"])
        try:
            with transaction.atomic():
                row.save(update_fields=[_column(row, edit["field"])])
        except IntegrityError as error:
            raise _built_on(words, edit, since, "its place is taken") from error
        done.append(edit)
    return done


def _built_on(words: str, edit: Edit, since: Change, why: str) -> ConflictError:
    later = Change.objects.filter(
        production_id=since.production_id, sequence__gt=since.sequence
    ).order_by("-sequence")  # fmt: skip
    other = next((c for c in later if any(e["uuid"] == edit["uuid"] for e in c.edits)), None)
    named = f": “{other.words}” by {who_words(other)}" if other is not None else ""
    return ConflictError(
        "undo.built_on", f"“{words}” cannot be taken back, {why}{named}.",
        "Take that back first, or go back to an earlier revision.",
        step=words, other=other.words if other is not None else "",
    )  # fmt: skip


def _json(plain: dict[str, Any]) -> dict[str, Any]:
    """Return a serialised row with nothing in it that JSON does not have."""
    fields = {k: str(v) if isinstance(v, uuid.UUID) else v for k, v in plain["fields"].items()}
    fields = {k: v.isoformat() if hasattr(v, "isoformat") else v for k, v in fields.items()}
    return {**plain, "fields": fields}


def _checked(row: models.Model, columns: set[str]) -> set[str]:
    # What stands in a JSON field is checked where it comes from; an empty one is no blank.
    return {
        f.name for f in row._meta.fields
        if f.name in columns and not isinstance(f, models.JSONField)
    }  # fmt: skip


def _column(row: models.Model, path: str) -> str:
    name = path.split(".", 1)[0]
    return next(f.name for f in row._meta.concrete_fields if name in (f.name, f.attname))


def _get(row: models.Model, path: str) -> Any:
    name, _, key = path.partition(".")
    value = getattr(row, name)
    return value.get(key) if key else value


def _set(row: models.Model, path: str, value: Any) -> None:
    name, _, key = path.partition(".")
    if not key:
        setattr(row, name, value)
        return
    inside = {**getattr(row, name), key: value}
    setattr(row, name, {k: v for k, v in inside.items() if v is not None})
