"""Fields that only name what is set: declared in a line, with what `@field` and its setter would spell out."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, overload

T = TypeVar("T")

if TYPE_CHECKING:

    class Setting(Generic[T]):
        """A field that is read and set."""

        def __get__(self, item: object, owner: type | None = None) -> T:
            """The value of one item, by its own name."""

        def __set__(self, item: object, value: T) -> None:
            """Sets it."""


class _Field(property):
    """A property whose getter and setter learn the word of the field from the name that it gets in its class."""

    def __init__(
        self, make: Callable[[str], tuple[Callable[[object], object], Callable[[object, object], None]]]
    ) -> None:
        super().__init__()
        self._make = make

    def __set_name__(self, owner: type, name: str) -> None:
        getter, setter = self._make(name)
        property.__init__(self, getter, setter)


class Through:
    """Declares fields that are read and set through two methods of their item, which take the word of the field."""

    def __init__(self, read: str, write: str, needs: str) -> None:
        """`needs` is the method that a format must have for such a field to be set."""
        self._read, self._write, self._needs = read, write, needs

    @overload
    def __call__(self, of: type[T], doc: str, /, otherwise: object = None) -> Setting[T]: ...
    @overload
    def __call__(
        self, of: type[T], doc: str, /, otherwise: object = None, *, optional: Literal[True]
    ) -> Setting[T | None]: ...
    def __call__(self, of: Any, doc: str, /, otherwise: object = None, *, optional: bool = False) -> object:
        """A field of a type, documented as a getter is. `otherwise` is what it is where a format has nothing of it, and
        `optional` whether it can be nothing.
        """
        read, write, needs = self._read, self._write, (self._needs,)
        hint = of | None if optional else of

        def make(name: str) -> tuple[Callable[[object], object], Callable[[object, object], None]]:
            word = name.rstrip("_").replace("_", "-")

            def get(item: object) -> object:
                found = getattr(item, read)(word)
                return found if type(found) is of or (optional and found is None) else of(found)

            def put(item: object, value: object) -> None:
                getattr(item, write)(word, value)

            get.__name__ = put.__name__ = name
            get.__doc__ = doc
            get.__annotations__, put.__annotations__ = {"return": hint}, {"value": hint, "return": None}
            get.__dict__.update(scrub_field=True, scrub_otherwise=otherwise)
            put.__dict__.update(scrub_needs=needs)
            return get, put

        return _Field(make)


#: What is set for a sheet as a whole.
setting_field = Through("setting", "put_setting", "put_setting")
#: How characters, cells and the like look.
look_field = Through("_look", "_set_look", "put_look")
#: Measures of rows and columns.
measure_field = Through("_measure", "_set_measure", "put_measure")
