"""What a studio, and many of them, would need: constants measured here, a model held against a real load, and sizes.

`docs/scale.md` tells the results. Pages run on the machine of the server here, so that what they take is measured too.
"""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import httpx

from benchmarks import load
from benchmarks.bench_speed import Bench, demo_application
from benchmarks.figures import Figure, percentile
from benchmarks.scale_model import AT_WORK, WITHOUT_REST, Costs, most_people, waits_of
from tests.application import Application, until

#: How often each thing is done to know what it costs; seconds of real load, and of what it is held against.
_TIMES, _LOAD, _WARM = 60, 90.0, 10
#: How far the model may be off, and the slowest frame under the hand that is still good work, milliseconds.
_OFF, _SLOWEST = 0.25, 150
#: What one machine of many has (an assumption), and how many editors are asked about.
_CORES, _STUDIOS = 8, (50, 500, 5000)
_TICKS = os.sysconf("SC_CLK_TCK")


def run(_: Path) -> Iterator[Figure]:
    with demo_application() as application:
        photos = load.photos_on_benches(application)
        with application.client() as client:
            people = load.people(application)
            costs = _costs(application, people, photos)
            yield from _told(costs)
            yield from _kept(application, client, photos)
            seen = asyncio.run(load.at_work(application, people, photos, _LOAD))
    cores = os.cpu_count() or 1
    waits = waits_of(load.PEOPLE, cores, costs, WITHOUT_REST, _LOAD, database_here=True)
    for name, real, modelled in (
        ("frames under a hand", len(seen.moving), len(waits.moving)),
        ("a frame under the hand, median", percentile(seen.moving, 50), percentile(waits.moving, 50)),
        ("a frame under the hand, 95th percentile", percentile(seen.moving, 95), percentile(waits.moving, 95)),
        ("a fine frame, median", percentile(seen.fine, 50), percentile(waits.fine, 50)),
        ("changes", len(seen.saves), len(waits.changes)),
    ):
        against = f"real {real:.0f}, model {modelled:.0f}; {load.PEOPLE} people, {cores} cores"
        yield Figure(f"scale: the model is off, {name}", round(abs(modelled / real - 1), 2), "", against, _OFF)
    yield from _studios(replace(costs, client=0))


def _told(costs: Costs) -> Iterator[Figure]:
    for name, seconds in vars(costs).items():
        yield Figure(f"scale: {name}", round(1000 * seconds, 2), "ms of a core", "6 MP photo, view of 1280x800", 1000)


def _costs(application: Application, people: list[httpx.Client], photos: list[str]) -> Costs:
    """What benches' work costs, from the time that the kernel says the processes had.

    Taken with a frame being made on every core, and each for another photo than the one before, as caches and cores are
    shared where many are at work.
    """
    assert application.server is not None
    processes = (application.server.pid, os.getpid())
    benches = [_Open(application, client, photo) for client, photo in zip(people, photos, strict=True)]
    hands = [benches[hand :: os.cpu_count()] for hand in range(os.cpu_count() or 1)]

    def all_do(does: Callable[[_Open, int], None], times: int) -> tuple[float, float]:
        """Seconds of the server and of whoever asks for each time."""

        def hand_does(own: list[_Open]) -> None:
            for at in range(times):
                does(own[at % len(own)], at)

        with ThreadPoolExecutor(len(hands)) as threads:
            server, own = _taken(lambda: list(threads.map(hand_does, hands)), *processes)
        return server / (times * len(hands)), own / (times * len(hands))

    all_do(_Open.drags, len(photos))
    moving, asking = all_do(_Open.drags, _TIMES)
    fine, _ = all_do(_Open.looks, _TIMES)
    database, began = _spent(*application.cluster.processes()), time.perf_counter()
    change, changing = all_do(_Open.changes, _TIMES)
    database = (_spent(*application.cluster.processes()) - database) / (_TIMES * len(hands))
    waited = (time.perf_counter() - began) / _TIMES - change - changing - database
    whole, _ = all_do(_Open.rests, _TIMES // 4)
    for bench in benches:
        bench.bench.socket.close()
    return Costs(moving, fine, change, max(0.0, whole - change - fine), asking, database, max(0.0, waited))


class _Open:
    """A photo on a bench, and a hand that does one thing again and again."""

    def __init__(self, application: Application, client: httpx.Client, photo: str) -> None:
        self._client, self._photo = client, photo
        self.bench = Bench(application, photo, client.cookies["fern_session"])
        self._revision = client.get(f"/api/photos/{photo}/ledger").json()["revision"]

    def drags(self, at: int) -> None:
        self.bench.frame(self._revision, view=load.VIEW, fine=False, draft=load.exposure(at / _TIMES))

    def looks(self, _: int) -> None:
        """At the original, which is not measured for the slip."""
        self.bench.frame(self._revision, view=load.VIEW, original=True)

    def changes(self, at: int) -> None:
        self._revision = load.changed(self._client, self._photo, self._revision, load.exposure(at / _TIMES))

    def rests(self, at: int) -> None:
        """Long enough that all is measured that the slip asks."""
        self.changes(-at)
        self.bench.frame(self._revision, view=load.VIEW)
        time.sleep(1.5)


def _taken(work: Callable[[], object], *processes: int) -> list[float]:
    """Seconds of a core that each process spent on it."""
    before = [_spent(one) for one in processes]
    work()
    return [_spent(one) - was for one, was in zip(processes, before, strict=True)]


def _spent(*processes: int) -> float:
    """Seconds of a core that processes have had, in the kernel too."""
    spent = 0.0
    for process in processes:
        fields = Path(f"/proc/{process}/stat").read_text().rsplit(")", 1)[1].split()
        spent += (int(fields[11]) + int(fields[12])) / _TICKS
    return spent


def _kept(application: Application, client: httpx.Client, photos: list[str]) -> Iterator[Figure]:
    """What stays on disk of a photo and of a change, and what handing a photo over takes."""
    blobs = sum(file.stat().st_size for file in (application.data / "blobs").rglob("*") if file.is_file())
    count = application.rows("select count(*) from photos")[0][0]
    assert isinstance(count, int)
    yield Figure("scale: a photo's original", round(blobs / count / 1e6, 2), "MB", f"{count} photos", 100)
    before = _database_bytes(application)
    revision = client.get(f"/api/photos/{photos[1]}/ledger").json()["revision"]
    for at in range(4 * _TIMES):
        revision = load.changed(client, photos[1], revision, load.exposure(at / _TIMES / 4))
    grown = (_database_bytes(application) - before) / (4 * _TIMES)
    yield Figure("scale: a change in the database", round(grown), "bytes", "tables and indexes", 20_000)
    assert application.worker is not None
    chosen = photos[2:8]
    for photo in chosen:
        load.changed(client, photo, client.get(f"/api/photos/{photo}/ledger").json()["revision"], load.exposure(0.2))

    def hands_over() -> None:
        for photo in chosen:
            body = {"expected": client.get(f"/api/photos/{photo}/ledger").json()["revision"]}
            client.post(f"/api/photos/{photo}/hand-overs", json=body).raise_for_status()
        until("the hand-overs to end", application.ended_hand_overs, 120)

    spent = _taken(hands_over, application.worker.pid)[0] / len(chosen)
    yield Figure("scale: a hand-over", round(spent, 2), "s of a core", "6 MP, one rendition", 10)


def _database_bytes(application: Application) -> int:
    size = "select sum(pg_total_relation_size(oid)) from pg_class where relkind = 'r'"
    return int(str(application.rows(size)[0][0]))


def _studios(costs: Costs) -> Iterator[Figure]:
    carried = most_people(_CORES, costs, AT_WORK, _SLOWEST)
    against = f"{_CORES} cores, 95 of 100 frames under the hand within {_SLOWEST} ms"
    yield Figure("scale: editors that a machine carries", carried, "people", against, 1000)
    waits = waits_of(carried, _CORES, costs, AT_WORK, 300, database_here=False)
    per_second = len(waits.changes) / 300 / carried
    for people in _STUDIOS:
        machines = -(-people // carried)
        on_one = -(-people // machines)
        waits = waits_of(on_one, _CORES, costs, AT_WORK, 300, database_here=False)
        changes = people * per_second
        said = (
            f"{machines} machines of {_CORES} cores, {on_one} on each; {changes:.0f} changes a second, of the database "
            f"{changes * costs.database:.2f} cores; a change within {percentile(waits.changes, 95):.0f} ms"
        )
        waited = round(percentile(waits.moving, 95), 1)
        yield Figure(f"scale: {people} editors, a frame under the hand, 95th percentile", waited, "ms", said, _SLOWEST)
