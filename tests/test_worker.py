"""The worker: answers on the interface thread, the newest of a kind wins, errors arrive."""

import threading

import pytest

from inertian.desktop.state.worker import Worker


@pytest.fixture
def worker(qtbot):
    made = Worker()
    yield made
    made.stop()


def test_an_answer_arrives_on_the_interface_thread_and_work_is_done_on_another(worker, qtbot):
    threads = []
    worker.run("sum", threading.get_ident, lambda found: threads.append((found, here())), fail)
    qtbot.waitUntil(lambda: bool(threads))
    worked, answered = threads[0]
    assert answered == here() != worked


def test_an_error_is_handed_over_and_the_worker_goes_on(worker, qtbot):
    errors, answers = [], []
    worker.run("bad", lambda: 1 / 0, fail, errors.append)
    worker.run("good", lambda: 2, answers.append, fail)
    qtbot.waitUntil(lambda: bool(errors and answers))
    assert isinstance(errors[0], ZeroDivisionError)
    assert answers == [2]


def test_only_the_newest_request_of_a_kind_is_answered_and_waiting_ones_are_not_worked_on(
    worker, qtbot
):
    gate, worked, answers = threading.Event(), [], []

    def work(number):
        worked.append(number)
        gate.wait(5.0)
        return number

    for number in range(5):
        worker.run("same", lambda number=number: work(number), answers.append, fail)
    worker.run("other", lambda: "other", answers.append, fail)
    gate.set()
    qtbot.waitUntil(lambda: "other" in answers)
    assert answers == [4, "other"]
    assert set(worked) <= {0, 4}  # the first had begun; those between were never begun


def test_nothing_is_answered_after_the_end(qtbot):
    worker, answers = Worker(), []
    worker.run("late", lambda: 1, answers.append, fail)
    worker.stop()
    worker.run("later", lambda: 2, answers.append, fail)
    qtbot.wait(50)
    assert answers == []


def here():
    return threading.get_ident()


def fail(found):
    raise AssertionError(found)
