"""The cache of compiled kernels: what it goes by."""

from pathlib import Path

import pytest

from syntonos.core import _jit

CORE = Path(_jit.__file__).parent


@pytest.mark.parametrize(
    ("module", "uses", "does_not"),
    [
        # By the imports at the head of these files, read by eye.
        ("chain/_kernels.py", "encodings/scalar.py", "chain/stages/trim.py"),
        ("scopes/drawing.py", "chain/_kernels.py", "matching/fit.py"),
        ("simulate/foundry/tracing.py", "_jit.py", "chain/document.py"),
    ],
)
def test_kernels_are_compiled_again_only_for_what_they_use(module, uses, does_not):
    found = _jit.sources_of(CORE / module)
    assert {CORE / module, CORE / uses} <= set(found)
    assert CORE / does_not not in found


def test_a_change_of_what_a_kernel_calls_gives_it_another_folder(monkeypatch, tmp_path):
    monkeypatch.setattr(_jit, "_PACKAGES", tmp_path)
    files = {
        "called": "def f(x):\n    return x\n",
        "other": "Y = 1\n",
        "kernel": "def g(x):\n    from syntonos.core.called import f\n    return f(x)\n",
    }
    for name, text in files.items():
        path = tmp_path / "syntonos/core" / f"{name}.py"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)

    def folder():
        for known in (_jit._imports, _jit.sources_of, _jit._folder_of):
            known.cache_clear()
        return _jit._folder_of(tmp_path / "syntonos/core/kernel.py")

    first = folder()
    (tmp_path / "syntonos/core/other.py").write_text("Y = 2\n")
    assert folder() == first
    (tmp_path / "syntonos/core/called.py").write_text("def f(x):\n    return -x\n")
    assert folder() != first
