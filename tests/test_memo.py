"""The memo: asked once, remembered within bounds, and never a reason for data to stay."""

import gc
import weakref

from inertian.quantities.memo import Memo, Recent, room


class Owner:
    """Something that results are worked out of."""


def test_a_result_is_worked_out_once_and_goes_with_its_owner():
    memo, calls, owner = Memo(), [], Owner()

    def compute():
        calls.append(1)
        return [len(calls)]

    first = memo.get(owner, "sum", compute)
    assert memo.get(owner, "sum", compute) is first
    assert memo.get(Owner(), "sum", compute) is not first  # of another one
    gone = weakref.ref(owner)
    del owner
    gc.collect()
    assert gone() is None


def test_the_oldest_results_go_first_and_asking_keeps_young():
    recent = Recent()
    for key in "abc":
        recent.get(key, lambda key=key: key, 3)
    recent.get("a", lambda: "new", 3)
    recent.get("d", lambda: "d", 3)
    assert len(recent) == 3
    assert recent.get("a", lambda: "new", 3) == "a"
    assert recent.get("b", lambda: "new", 3) == "new"


def test_a_key_of_a_weak_reference_never_stands_for_a_later_object():
    recent, keys = Recent(), []
    for number in range(50):  # places in memory are used again
        owner = Owner()
        assert recent.get((weakref.ref(owner), "x"), lambda number=number: number, 100) == number
        keys.append(weakref.ref(owner))
        del owner


def test_what_another_one_remembers_is_taken_over():
    mine, theirs, owner = Memo(), Memo(), Owner()
    known = theirs.get(owner, "k", lambda: ["theirs"])
    mine.adopt(theirs)
    assert mine.get(owner, "k", lambda: ["anew"]) is known


def test_long_recordings_leave_room_for_fewer_results():
    assert room(256, 0, 1000) == 256
    assert room(256, 100, 1000) == 10
    assert room(256, 10_000, 1000, least=4) == 4


def test_what_is_held_stays_however_much_is_asked_for_until_it_is_released():
    recent, made = Recent(), []

    def ask(key):
        return recent.get(key, lambda: made.append(key) or key, 2)

    ask("before")
    recent.hold()
    for number in range(9):
        ask(number)
    assert ask("before") == "before"
    assert made.count("before") == 1
    recent.release()
    assert ask("before") == "before"
    ask(20), ask(21)
    ask("before")
    assert made.count("before") == 2
