"""Bad requests to every endpoint, made from the API's own schema by schemathesis.

Runs inside a Django test database with a production in it. Any answer is right that is no 5xx, says
what was wrong as problem+json, and leaves the rows readable.
"""

import json
import random
from collections import Counter, defaultdict

import hypothesis
import schemathesis
from django.apps import apps
from django.core.wsgi import get_wsgi_application

NASTY = (0, -1, 2**31, 2**63 - 1, 2**63, 2**70, 10**30)
NASTY_TEXT = ("\x00", "a" * 70_000, "\x1b[31m", "../../etc/passwd", "'; --", "\u202e", "")
ROWS = {
    "production_id": "productions.Production", "light_id": "productions.Light",
    "camera_id": "productions.Camera", "clip_id": "footage.Clip", "match_id": "matching.Match",
    "reading_id": "matching.ChartReading", "job_id": "jobs.Job", "export_id": "handover.Export",
}  # fmt: skip


def aimed(case, rng):
    """Point a case at rows that are there, mostly, and put what is nasty into it."""
    for name in case.path_parameters or {}:
        case.path_parameters[name] = _row_or_nasty(name, rng, case.path_parameters[name])
    for name in list(case.query or {}):
        if rng.random() < 0.2:
            case.query[name] = rng.choice([str(n) for n in NASTY] + ["%00", "\x1b"])
    if isinstance(case.body, dict | list):
        case.body = _spoiled(case.body, rng)


def _row_or_nasty(name, rng, made):
    known = ROWS.get(name)
    if known and rng.random() < 0.8:
        ids = list(apps.get_model(known).objects.values_list("pk", flat=True)[:20])
        if ids:
            return rng.choice(ids)
    return rng.choice(NASTY) if rng.random() < 0.7 else made


def _spoiled(value, rng, name=""):
    if isinstance(value, dict):
        return {k: _spoiled(v, rng, k) for k, v in value.items()}
    if isinstance(value, list):
        return [_spoiled(v, rng, name.removesuffix("s") + "_id") for v in value]
    if isinstance(value, int) and not isinstance(value, bool) and name in ROWS:
        return _row_or_nasty(name, rng, value)
    if rng.random() < 0.08:
        if isinstance(value, str):
            return rng.choice(NASTY_TEXT)
        if isinstance(value, int | float):
            return rng.choice([*NASTY, 1e308, -1e308, 5e-324])
    return value


def operations():
    """Return the schema's operations, those that are hidden from the front end's client too."""
    from syntonos.server.api.app import api

    schema = api.get_openapi_schema()
    loaded = schemathesis.openapi.from_dict(json.loads(json.dumps(schema, default=str)))
    loaded.app = get_wsgi_application()
    return [found.ok() for found in loaded.get_all_operations()]


def try_operation(operation, examples, seed, rewind):
    """Send an operation's cases; returns how many were tried, and those that failed."""
    tried, failed = Counter(), []
    rng = random.Random(f"{seed} {operation.label}")
    modes = [schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE]

    for mode in modes:
        try:
            strategy = operation.as_strategy(generation_mode=mode)
        except Exception:  # noqa: S112 - nothing of this kind can be made for it
            continue

        @hypothesis.seed(seed)
        @hypothesis.settings(
            max_examples=examples,
            deadline=None,
            database=None,
            suppress_health_check=list(hypothesis.HealthCheck),
            phases=[hypothesis.Phase.generate],
        )
        @hypothesis.given(case=strategy)
        def send(case):
            tried[operation.label] += 1
            aimed(case, rng)
            wrong = problem_of(case)
            if wrong:
                failed.append((operation.label, wrong))
            rewind()

        try:
            send()
        except hypothesis.errors.Unsatisfiable:
            continue
    return tried, failed


def problem_of(case):
    """Return what is wrong with the answer to a case; "" where nothing is."""
    try:
        answer = case.call(headers={"Host": "localhost"})
    except Exception as error:
        return f"{type(error).__name__}: {str(error)[:100]}"
    if answer.status_code >= 500:
        return (
            f"{answer.status_code} {case.method} {case.formatted_path[:80]} {str(case.body)[:150]}"
        )
    kind = str((answer.headers.get("content-type") or [""])[0])
    if answer.status_code >= 400 and "json" not in kind:
        return f"{answer.status_code} as {kind}"
    return ""


def try_all(examples, seed, rewind=lambda: None):
    """Try every operation; returns counts and failures by operation."""
    tried, failed = Counter(), defaultdict(list)
    for operation in operations():
        counts, wrong = try_operation(operation, examples, seed, rewind)
        tried += counts
        for label, text in wrong:
            failed[label].append(text)
    return tried, failed


def tell(tried, failed):
    """Print what was tried and failed, by request."""
    print("| request | tried | failed |")
    print("|---|---|---|")
    for label in sorted(tried):
        print(f"| {label} | {tried[label]} | {len(failed[label])} |")
    print(f"| all | {tried.total()} | {sum(map(len, failed.values()))} |")
    for label, texts in failed.items():
        for text in sorted(set(texts))[:6]:
            print(f"{label}: {text}")
