"""Finds the kinds and sources: every module in a package is imported, every class in it that fits is taken."""

import importlib
import inspect
import pkgutil
from collections.abc import Iterable
from typing import TypeVar

Base = TypeVar("Base")


def classes_in(path: Iterable[str], package: str, base: type[Base]) -> list[type[Base]]:
    """The subclasses of ``base`` defined in the modules of ``package``, in the order of their file names."""
    found: list[type[Base]] = []
    for module in sorted(m.name for m in pkgutil.iter_modules(path)):
        members = inspect.getmembers(importlib.import_module(f"{package}.{module}"), inspect.isclass)
        found += [c for _, c in members if issubclass(c, base) and c is not base and c.__module__.endswith(module)]
    return found
