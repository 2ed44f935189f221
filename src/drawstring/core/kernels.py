"""Loops over pixels that are compiled: when they are first called, and kept beside their source.

The compiler itself takes a good part of a second to load; whoever only imports a kernel does without it.
"""

from __future__ import annotations

import functools
import hashlib
import inspect
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from types import FunctionType, ModuleType
from typing import Any

import numpy as np

Function = Callable[..., Any]


def kernel(**options: Any) -> Callable[[Function], Function]:
    """Compile a function by numba, with options as its `njit` takes them, and keep what was compiled."""

    def decorate(function: Function) -> Function:
        return Kernel(function, options)

    return decorate


class WrittenOut:
    """What kernels call, told to the compiler by instructions, where it makes too little of a loop.

    Parameters
    ----------
    make : callable
        Gives an intrinsic of numba; called when a kernel is first compiled or fetched that calls this.
    """

    def __init__(self, make: Callable[[], Any]) -> None:
        self.__doc__, self._make = make.__doc__, make

    def __call__(self, *arguments: Any) -> Any:
        """Refuse: only in kernels, compiled, is there something to call."""
        raise TypeError(f"{self._make.__name__} is called by kernels")

    @functools.cached_property
    def dispatcher(self) -> Any:
        """The intrinsic."""
        return self._make()

    @functools.cached_property
    def source(self) -> str:
        """A digest of the instructions."""
        return _digest(inspect.getsource(self._make))


def written_out(make: Callable[[], Any]) -> WrittenOut:
    """Have what a function makes called by kernels under the function's name."""
    return WrittenOut(make)


class Kernel:
    """A function of Python until it is called, then machine code for the types it is called with.

    Parameters
    ----------
    function : callable
        May call other kernels, and what is written out, that are names of its module.
    options : dict
        As numba's `njit` takes them.
    """

    def __init__(self, function: Function, options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self._function, self._options = function, options

    def __call__(self, *arguments: Any, **named: Any) -> Any:
        """Call it; its machine code is fetched, or made, for types that are new."""
        return self.dispatcher(*arguments, **named)

    @functools.cached_property
    def dispatcher(self) -> Any:
        """What numba makes of the function, which is given the dispatchers of those that it calls."""
        from numba import njit

        function, names = self._function, self._function.__globals__
        called = {
            name: used.dispatcher
            for name, used in self._used.items()
            if isinstance(used, Kernel | WrittenOut)
        }
        linked = FunctionType(
            function.__code__, {**names, **called}, function.__name__, function.__defaults__
        )
        linked.__qualname__ = function.__qualname__
        dispatcher = njit(**self._options)(linked)
        dispatcher._cache = _kept_code(linked, self.source)
        return dispatcher

    @functools.cached_property
    def source(self) -> str:
        """A digest of all its machine code is made from: its text, what it calls, and its constants.

        Numba looks at the file of a kernel only, and keeps code that has a former version of what another
        file holds.
        """
        used = [f"{name} {_said(value)}" for name, value in sorted(self._used.items())]
        options = sorted((name, _said(value)) for name, value in self._options.items())
        return _digest(repr((inspect.getsource(self._function), options, used)))

    @property
    def _used(self) -> dict[str, Any]:
        names = self._function.__globals__
        return {name: names[name] for name in self._function.__code__.co_names if name in names}


def _said(value: Any) -> str:
    if isinstance(value, Kernel | WrittenOut):
        return value.source
    if isinstance(value, np.ndarray):
        return f"{value.dtype} {value.shape} {hashlib.sha256(value.tobytes()).hexdigest()}"
    if isinstance(value, ModuleType):
        return value.__name__
    return repr(sorted(value)) if isinstance(value, set | frozenset) else repr(value)


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _kept_code(function: Function, source: str) -> Any:
    """Give the keeper of a function's machine code.

    Numba's own keeps an index of numbered files. Of two processes that compile a kernel for two types in the
    same moment, either may take the same number; from then on the code for one type is called with the
    other, for as long as the files are kept. Here the name of a file says what it was compiled from and for,
    and there is no index.
    """
    from numba.core.caching import FunctionCache, IndexDataCacheFile

    base = f"{function.__module__.split('.')[-1]}.{function.__qualname__}.{sys.implementation.cache_tag}"

    class Files(IndexDataCacheFile):
        def save(self, key: Any, data: Any) -> None:
            self._save_data(self._name(key), (key, data))  # type: ignore[no-untyped-call]
            for file in Path(self._cache_path).glob(f"{base}.*.nbc"):
                if not file.name.startswith(f"{base}.{source}."):
                    with suppress(OSError):  # another process was quicker
                        file.unlink()

        def load(self, key: Any) -> Any:
            try:
                kept_key, data = self._load_data(self._name(key))  # type: ignore[no-untyped-call]
            except Exception:
                return None  # not there, or damaged: it is compiled anew, and replaced
            return data if kept_key == key else None

        def _name(self, key: Any) -> str:
            return f"{base}.{source}.{_digest(f'{self._version} {key}')}.nbc"

    cache = FunctionCache(function)  # type: ignore[no-untyped-call]
    cache._cache_file = Files(cache.cache_path, base, source)  # type: ignore[no-untyped-call]
    return cache
