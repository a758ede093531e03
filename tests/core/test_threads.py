"""Work in threads."""

import threading

import pytest

from fern_ticket.core.threads import beside, by_rows, cores, in_threads, one_ahead, stoppable


def test_parts_come_back_in_order():
    assert in_threads(lambda k: k * k, range(7)) == [0, 1, 4, 9, 16, 25, 36]


def test_a_part_may_itself_be_done_in_parts():
    # in more threads than there are, each would wait for the others
    def whole(k: int) -> int:
        return sum(in_threads(lambda m: m + k, range(5)))

    done: list[list[int]] = []
    thread = threading.Thread(target=lambda: done.append(in_threads(whole, range(20))), daemon=True)
    thread.start()
    thread.join(30)
    assert done == [[10 + 5 * k for k in range(20)]]


@pytest.mark.skipif(cores() < 2, reason="one core does one after the other")
def test_two_works_are_done_beside_one_another():
    met = threading.Barrier(2, timeout=30)

    def meets(said: str) -> str:
        met.wait()
        return said

    assert beside(lambda: meets("one"), lambda: meets("other")) == ("one", "other")


def test_all_rows_are_worked_on_once():
    seen = [0] * 200

    def work(rows: slice) -> None:
        for row in range(rows.start, rows.stop):
            seen[row] += 1

    by_rows(200, work)
    assert seen == [1] * 200


def test_what_is_stopped_does_no_further_part():
    class Stopped(Exception):
        pass

    parts: list[int] = []

    def go_on() -> None:
        if parts:
            raise Stopped

    with stoppable(go_on), pytest.raises(Stopped):
        in_threads(parts.append, range(1000))
    assert len(parts) < 1000


def test_the_next_is_made_while_one_is_used():
    assert list(one_ahead(lambda k: 2 * k, [1, 2, 3])) == [2, 4, 6]
