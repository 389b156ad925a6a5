"""The door of a port: nothing outside of the error tree passes it.

Adapters wrap what they know of what is outside, each where it arises. This is for what nobody knew: a library that
raises something of its own, a name that cannot be decoded, no memory. It becomes an error of the port, with what it
was as its cause, so that whoever works behind the port need not know any library.
"""

import functools
import inspect
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

from core.errors import AtticError, Unforeseen

C = TypeVar("C", bound=type)


def port(fault: type[Unforeseen], what: str) -> Callable[[C], C]:
    """Class decorator. `what`: what stood at the other side, in the sentence of the error."""

    def decorate(kind: C) -> C:
        for name, method in list(vars(kind).items()):
            if inspect.isfunction(method) and (not name.startswith("_") or name == "__init__"):
                setattr(kind, name, _guarded(method, fault, what))
        return kind

    return decorate


def _guarded(function: Callable[..., Any], fault: type[Unforeseen], what: str) -> Callable[..., Any]:
    if inspect.isgeneratorfunction(function):

        @functools.wraps(function)
        def pieces(*arguments: Any, **more: Any) -> Iterator[Any]:
            yield from _passed(function(*arguments, **more), fault, what)

        return pieces

    @functools.wraps(function)
    def call(*arguments: Any, **more: Any) -> Any:
        try:
            answer = function(*arguments, **more)
        except AtticError:
            raise
        except Exception as error:
            raise _told(error, fault, what) from error
        return _passed(answer, fault, what) if inspect.isgenerator(answer) else answer

    return call


def _passed(source: Iterator[Any], fault: type[Unforeseen], what: str) -> Iterator[Any]:
    """The same pieces; whoever stops taking them stops the source, too."""
    try:
        yield from source
    except AtticError:
        raise
    except Exception as error:
        raise _told(error, fault, what) from error


def _told(error: Exception, fault: type[Unforeseen], what: str) -> Unforeseen:
    return fault(f"{what} answered in a way that nobody foresaw ({type(error).__name__}).")
