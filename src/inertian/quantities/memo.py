"""Remembering what was worked out, without holding on to what it was worked out of."""

import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from typing import Any, Generic, TypeVar, cast

Result = TypeVar("Result")
Asked = TypeVar("Asked")


def room(most: int, samples: int, most_samples: int, least: int = 1) -> int:
    """Return how many results to keep that rest on so many samples each, from `least` to `most`."""
    return max(least, min(most, most_samples // max(samples, 1)))


class Recent(Generic[Result]):
    """The results that were asked for last, by key.

    A key may hold weak references: they equal one another only while what they refer to is alive
    and the same. Not for use from two threads at once.
    """

    def __init__(self) -> None:
        self._results: OrderedDict[Hashable, Result] = OrderedDict()
        self._held: dict[Hashable, Result] = {}  # what does not go until it is released

    def hold(self) -> None:
        """Keep what is remembered now, however much is asked for, until `release`."""
        self._held |= self._results
        self._results.clear()

    def release(self) -> None:
        """Let what was held go like the rest, as what was asked for last."""
        self._results.update(self._held)
        self._held = {}

    def get(self, key: Hashable, compute: Callable[[], Result], most: int) -> Result:
        """Return the result of a key, worked out if it is not there; the oldest beyond `most`
        go.
        """
        if key in self._held:
            return self._held[key]
        if key in self._results:
            self._results.move_to_end(key)
            return self._results[key]
        result = self._results[key] = compute()
        while len(self._results) > most:
            self._results.popitem(last=False)
        return result

    def adopt(self, other: "Recent[Result]") -> None:
        """Take over what another one remembers."""
        self._results.update(other._held)
        self._results.update(other._results)

    def change(self, changes: Mapping[Hashable, Callable[[Result], Result]]) -> None:
        """Replace results that are remembered, by key."""
        for key, changed in changes.items():
            self._results[key] = changed(self._results[key])

    def __contains__(self, key: Hashable) -> bool:
        return key in self._results

    def __len__(self) -> int:
        return len(self._results) + len(self._held)


class Memo:
    """Results by owner and key; they go when their owner does, so they must not refer to it
    strongly.
    """

    def __init__(self) -> None:
        self._owners: weakref.WeakKeyDictionary[object, Recent[object]] = (
            weakref.WeakKeyDictionary()
        )

    def get(
        self, owner: object, key: Hashable, compute: Callable[[], Asked], most: int = 1
    ) -> Asked:
        """Return a result, worked out if it is not there; of one owner at most `most` are kept."""
        mine = self._owners.get(owner)
        if mine is None:
            mine = self._owners[owner] = Recent()
        return cast(Asked, mine.get(key, compute, most))

    def copied(self, copies: Mapping[Hashable, Callable[[Any], Any]]) -> "Memo":
        """Return one that knows the same; `copies` make others of results that change, by key."""
        made = Memo()
        for owner, known in self._owners.items():
            own = made._owners[owner] = Recent()
            own.adopt(known)
            own.change({key: copy for key, copy in copies.items() if key in own})
        return made

    def adopt(self, other: "Memo") -> None:
        """Take over what another one remembers."""
        for owner, known in other._owners.items():
            self._owners.setdefault(owner, Recent()).adopt(known)
