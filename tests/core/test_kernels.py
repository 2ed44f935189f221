"""Compiled loops: kept for each type, whoever compiles them at once, and never older than their source."""

import inspect
import multiprocessing
import os
from importlib import import_module

import kernels as ahead
import pytest
from numba.core.sigutils import normalize_signature

from drawstring.core.io import unpacking
from drawstring.core.kernels import Kernel, written_out

MODULE = """
import numpy as np
from constants import STEP
from callee import twice
from drawstring.core.kernels import kernel

TABLE = np.array([1.0, 2.0])


@kernel(nogil=True)
def total(values):
    'Give the sum, twice, and a step.'
    tally = 0.0
    for value in values:
        tally += twice(value) * TABLE[0]
    return tally + STEP
"""
CALLEE = """
from drawstring.core.kernels import kernel


@kernel(inline="always")
def twice(value):
    return {factor} * value
"""
ASK = """
import sys
sys.path.insert(0, folder)
import numpy as np
from module import total

values = np.arange(4, dtype=kind)
together.wait(60)
with open(into, "w") as file:
    print(total(values), len(total.dispatcher.stats.cache_hits), total.__doc__, file=file)
"""


@pytest.fixture
def kernels(tmp_path):
    """A module with a kernel that calls another module's; give how it is called in processes of their own."""
    (tmp_path / "module.py").write_text(MODULE)
    (tmp_path / "callee.py").write_text(CALLEE.format(factor=2))
    (tmp_path / "constants.py").write_text("STEP = 0\n")
    # Forked from a parent that has the compiler up, and knows nothing of these modules.
    warm = multiprocessing.get_context("forkserver")

    def called(*kinds: str) -> list[tuple[float, int]]:
        told = [tmp_path / f"told-{kind}" for kind in kinds]
        together, begun = warm.Barrier(len(kinds)), []
        for kind, into in zip(kinds, told, strict=True):
            names = {"folder": str(tmp_path), "kind": kind, "into": str(into), "together": together}
            begun.append(warm.Process(target=exec, args=(ASK, names)))
            begun[-1].start()
        for process in begun:
            process.join(120)
        assert [process.exitcode for process in begun] == [0] * len(begun)
        said = [into.read_text().split(maxsplit=2) for into in told]
        assert all(words.strip() == "Give the sum, twice, and a step." for _, _, words in said)
        return [(float(value), int(hits)) for value, hits, _ in said]

    return called


def kept(place) -> list[str]:
    return sorted(name for name in os.listdir(place / "__pycache__") if name.endswith(".nbc"))


def test_who_compiles_at_once_keeps_each_type_by_itself(kernels, tmp_path):
    kinds = ("uint16", "float32", "float64")
    assert kernels(*kinds) == [(12.0, 0)] * 3
    assert len([name for name in kept(tmp_path) if name.startswith("module.total.")]) == 3
    assert kernels(*kinds) == [(12.0, 1)] * 3, "code of one type is never another's"


def test_what_a_kernel_calls_or_a_constant_changes_the_kernel(kernels, tmp_path):
    assert kernels("float32") == [(12.0, 0)]
    os.utime(tmp_path / "module.py", (1, 1))
    assert kernels("float32") == [(12.0, 1)], "a copy of the same text needs no compiling"
    (tmp_path / "callee.py").write_text(CALLEE.format(factor=3))
    os.utime(tmp_path / "callee.py", (2, 2))
    assert kernels("float32") == [(18.0, 0)], "what is inlined from another file is not older than that file"
    (tmp_path / "constants.py").write_text("STEP = 5\n")
    os.utime(tmp_path / "constants.py", (3, 3))
    assert kernels("float32") == [(23.0, 0)]
    assert len(kept(tmp_path)) == 1, "what came of a former source goes"
    damaged = tmp_path / "__pycache__" / kept(tmp_path)[0]
    damaged.write_bytes(damaged.read_bytes()[:100])
    assert kernels("float32") == [(23.0, 0)] and kernels("float32") == [(23.0, 1)], (
        "a damaged one is replaced"
    )


def test_instructions_written_out_are_source_like_any_other(monkeypatch):
    text, options = unpacking.put_in_order.__wrapped__, {"nogil": True}
    before = Kernel(text, options).source

    @written_out
    def other():
        """Be other instructions."""

    assert Kernel(text, options).source == before == unpacking.put_in_order.source
    monkeypatch.setattr(unpacking, "sum_sixteen", other)
    assert Kernel(text, options).source != before


def test_what_was_ready_is_not_looked_at_again_before_something_changes(tmp_path, monkeypatch):
    package = tmp_path / "src" / "drawstring" / "core"
    kept_code = package / "__pycache__" / "loops.total.nbc"
    kept_code.parent.mkdir(parents=True)
    kept_code.write_bytes(b"code")
    (package / "loops.py").write_text("STEP = 1\n")
    (tmp_path / "kernels.txt").write_text("drawstring.core.loops total (float32,)\n")
    monkeypatch.setattr(ahead, "SOURCES", tmp_path / "src")
    monkeypatch.setattr(ahead, "LIST", tmp_path / "kernels.txt")
    monkeypatch.setattr(ahead, "READY", kept_code.parent / "kernels-ready")
    looked = []

    class Processes:
        def __init__(self, count):
            pass

        def __enter__(self):
            return self

        def __exit__(self, *_):
            pass

        def map(self, task, modules, kernels):
            looked.append((modules, kernels))
            return [0]

    monkeypatch.setattr(ahead, "ProcessPoolExecutor", Processes)
    ahead.compile_all()
    ahead.compile_all()
    assert looked == [(("drawstring.core.loops",), ([("total", "(float32,)")],))]
    for changes in (
        lambda: (package / "loops.py").write_text("STEP = 12\n"),
        lambda: kept_code.unlink(),
        lambda: (tmp_path / "kernels.txt").write_text("drawstring.core.loops total (float64,)\n"),
        lambda: ahead.READY.write_text("of another processor"),
    ):
        before = len(looked)
        changes()
        ahead.compile_all()
        ahead.compile_all()
        assert len(looked) == before + 1
    # Where nothing can be written it is looked at again, and nobody is told.
    ahead.READY.unlink()
    monkeypatch.setattr(ahead, "READY", tmp_path / "kernels.txt" / "ready")
    ahead.compile_all()


def test_what_is_compiled_ahead_are_kernels_with_as_many_arguments():
    for module, kernels in ahead.listed().items():
        for name, types in kernels:
            kernel = getattr(import_module(module), name)
            assert isinstance(kernel, Kernel)
            inspect.signature(kernel).bind(*normalize_signature(types)[0])
