"""A long run at random: people edit and have files made through two web processes, three workers make them, and any of
these, or the database, is killed again and again; at the end every file is decoded plainly and held against its order.

    .venv/bin/python -m bench.hour [MINUTES, default 60] [SEED, default 1]

Clips are those of bench.carried, whose pictures carry their numbers; a picture of the made file must carry the number
that its order asks for, as the core counts it, and that a plain decoding of the source finds there.
"""

import http.client
import os
import random
import subprocess
import sys
import tempfile
import time
from collections import Counter
from functools import lru_cache
from pathlib import Path
from threading import Event, Thread
from typing import Any

from bench import carried
from bench.jumps import decoded, truth
from bench.together import _SERVE, Person, answers, ask, broken, serving
from oddmeter.config import Config
from oddmeter.core.numbers.errors import RuleError
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.local.cluster import Cluster
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan, FilePlan
from oddmeter.media.ranges import TimelinePlan
from oddmeter.store import renders, shows
from oddmeter.store.database import Database
from oddmeter.store.migrate import migrate
from oddmeter.work.plans import file_plan

PORTS, WORKERS, PEOPLE = (8496, 8497), 3, 2
SIZE = (320, 192)
CLIPS = (
    "h264-closed.ts", "h264-open.ts", "h264-one-group.ts", "h264-open.mp4", "h264-open.mkv", "h264-fragmented.mp4",
    "h264.avi", "h264-hidden-leading-frames.mp4", "hevc-closed.ts", "hevc-open.mp4", "mpeg2.ts", "mpeg2.mov",
    "mpeg2.mxf", "mpeg4.avi", "vp9.webm", "ffv1-groups.mkv", "prores.mov",
)  # fmt: skip
MOST_WAITING = 30


class Maker(Person):
    """Somebody who has files made, too: of clips and of timelines, in all settings, and cancels and retries some."""

    number = 0

    def act(self) -> None:
        """Do one thing, and rest as a person does."""
        if self.dice.random() < 0.25:
            self.dice.choice([self.make_clips, self.make_clips, self.make_timeline, self.cancel_or_retry])()
        else:
            super().act()
        time.sleep(self.dice.uniform(0.2, 1.5))

    def recipe(self) -> None:
        """Recipes would mix frames, whose numbers cannot be read; somebody moves a delivery's tail instead."""
        self.edit()

    def undo(self) -> None:
        """Whatever was done last, but not that the footage came in."""
        found = self._get("")
        if not str((found.get("undo") or {}).get("title", "")).startswith("“Card” brought in"):
            super().undo()

    def make_clips(self) -> None:
        if self._waiting() < MOST_WAITING:
            self._send("POST", "renders", {"clip_ids": [self._clip()["id"]], **self._setting("{clip}")})

    def make_timeline(self) -> None:
        if self._waiting() < MOST_WAITING:
            of = self.dice.choice(["events", "timeline"])
            asked = {"of": of, "handles": self.dice.choice([0, 5]), **self._setting("{timeline}_{event}_{clip}")}
            self._send("POST", f"cuts/{self._timeline()}/files", asked)

    def cancel_or_retry(self) -> None:
        files = self._get("renders")
        if files:
            one, what = self.dice.choice(files), self.dice.choice(["cancel", "retry"])
            status, answer = ask(self.port, "POST", f"/api/renders/{one['id']}/{what}", None)
            self._count("POST", f"renders/…/{what}", status, answer)

    def _waiting(self) -> int:
        queue = self._get("renders/queue")
        return int(queue["under_way"]) if isinstance(queue, dict) and "under_way" in queue else MOST_WAITING

    def _setting(self, pattern: str) -> dict[str, str]:
        Maker.number += 1
        return {
            "setting": self.dice.choice(["archive", "edit", "view"]),
            "folder": f"f{Maker.number}",
            "pattern": pattern,
        }

    def _count(self, method: str, path: str, status: int, answer: object) -> None:
        """A process or a database that was killed may answer late, but never wrongly."""
        self.statuses[status] += 1
        if status >= 500 and status != 503:
            self.odd[f"{method} {path}: {status} {str(answer)[:200]}"] += 1


class Company:
    """The processes that are killed and started again."""

    def __init__(self, config: Config, cluster: Cluster, dice: random.Random) -> None:
        self.config, self.cluster, self.dice = config, cluster, dice
        self.environment = {**os.environ, **config.to_environment()}
        self.parts: dict[str, subprocess.Popen[bytes]] = {}
        self.killed: Counter[str] = Counter()
        for port in PORTS:
            self._start(f"web {port}")
        for number in range(WORKERS):
            self._start(f"worker {number}")

    def _start(self, name: str) -> None:
        kind, which = name.split()
        how = ["-c", _SERVE, which] if kind == "web" else ["-m", "oddmeter", "worker"]
        log = (self.config.data / f"{kind}-{which}.log").open("ab")
        self.parts[name] = subprocess.Popen([sys.executable, *how], env=self.environment, stdout=log, stderr=log)

    def kill_one(self) -> None:
        """Kill a part, most often a worker, and start it again; or the database under all of them."""
        name = self.dice.choice([*self.parts, *(one for one in self.parts if "worker" in one), "database"])
        self.killed[name.split()[0]] += 1
        if name == "database":
            pid = int((self.cluster.folder / "postmaster.pid").read_text().split()[0])
            os.kill(pid, 9)
            time.sleep(self.dice.uniform(0.5, 3))
            self.cluster.start(int((self.cluster.home / "postgres.port").read_text()))
            return
        self.parts[name].kill()
        self.parts[name].wait()
        time.sleep(self.dice.uniform(0, 2))
        self._start(name)

    def mend(self) -> None:
        """Start again what ended by itself."""
        for name, part in list(self.parts.items()):
            if part.poll() is not None:
                self.killed[f"{name.split()[0]} that ended by itself"] += 1
                self._start(name)

    def stop(self) -> None:
        for part in self.parts.values():
            part.terminate()
        for part in self.parts.values():
            part.wait(120)


def prepared(config: Config, database: Database, folder: Path) -> int:
    """A show with a delivery of stamped clips and three timelines of their raster."""
    carried.SIZE = SIZE
    carried._ground.cache_clear()
    for name in CLIPS:
        carried.KINDS[name](folder / name)
    with database.transaction() as connection:
        settings = [TimelineSettings(name, Rate.of(25), *SIZE) for name in ("Main", "Second", "Third")]
        show = shows.add_show(connection, "Tide at dawn", settings[0])
        for one in settings[1:]:
            shows.add_timeline(connection, show, one)
    with serving(config, [PORTS[0]]):
        status, answer = ask(PORTS[0], "POST", f"/api/shows/{show}/deliveries", {"name": "Card", "root": "Card"})
        assert status == 201, answer
    return show


def run(
    config: Config, cluster: Cluster, show: int, minutes: float, seed: int
) -> tuple[Counter[int], list[str], Company]:
    """Everybody at once for so long; then the queue is left to end."""
    dice = random.Random(seed)
    company, over = Company(config, cluster, dice), Event()
    people = [Maker(port, show, random.Random(f"{seed} {port} {n}")) for n in range(PEOPLE) for port in PORTS]

    def go(person: Maker) -> None:
        while not over.is_set():
            try:
                person.act()
            except (OSError, ValueError, KeyError, TypeError, IndexError, http.client.HTTPException):
                time.sleep(0.5)  # a process is being started again

    threads = [Thread(target=go, args=(person,), daemon=True) for person in people]
    for thread in threads:
        thread.start()
    until = time.monotonic() + 60 * minutes
    while time.monotonic() < until:
        time.sleep(dice.uniform(5, 40))
        company.kill_one()
        company.mend()
    over.set()
    for thread in threads:
        thread.join(180)
    wrong = [f"{count} × {what}" for person in people for what, count in person.odd.items()]
    _drain(config, company)
    return sum((person.statuses for person in people), Counter()), wrong, company


def _drain(config: Config, company: Company) -> None:
    database = Database(config.database, most=1)
    database.open()
    try:
        said, since = None, time.monotonic()
        while time.monotonic() - since < 300:
            company.mend()
            with database.transaction() as connection:
                now = connection.execute("SELECT id, state, done_frames FROM render WHERE state IN"
                                         " ('waiting', 'rendering', 'proving') ORDER BY id").fetchall()  # fmt: skip
            if not now:
                return
            if now != said:
                said, since = now, time.monotonic()
            time.sleep(1)
    finally:
        database.close()


@lru_cache(maxsize=64)
def _truth(path: Path) -> list[int | None]:
    return truth(path, probe(path))


def asked_for(plan: FilePlan, number: int) -> int | None:
    """The number that a picture of a file must carry; −1 where it is black, None where several are mixed."""
    if isinstance(plan, ClipPlan):
        (weights,) = plan.conformed.shown(number, plan.canvas.scan).moments
        if not weights.is_alone:
            return None
        return _truth(plan.source)[min(plan.conformed.unit(weights.first).frames)]
    assert isinstance(plan, TimelinePlan)
    (parts,) = plan.moments(number)
    if len(parts) != 1 or not parts[0].weights.is_alone:
        return None
    seen = parts[0]
    if seen.clip_id is None:
        return -1
    window = plan.window_of(seen)
    assert window is not None
    return _truth(plan.footage[seen.clip_id].path)[min(window.conformed.unit(seen.weights.first).frames)]


def judged(config: Config) -> tuple[Counter[str], list[str]]:
    """What became of all files: how many of each kind, pictures compared, and what is wrong with any of them."""
    database = Database(config.database, most=1)
    database.open()
    tally: Counter[str] = Counter()
    wrong: list[str] = []
    try:
        with database.transaction() as connection:
            ids = [int(str(row[0])) for row in connection.execute("SELECT id FROM render ORDER BY id").fetchall()]
        for number in ids:
            with database.transaction() as connection:
                one = renders.render(connection, number)
                plan = file_plan(connection, config, one)
            tally[one.state] += 1
            if one.state == "failed":
                tally[f"failed: {(one.fault or '')[:90]}"] += 1
            if one.state != "done":
                continue
            found = decoded(config.product(one.out_path))
            if len(found) != plan.length:
                wrong.append(f"{one.out_path}: {len(found)} pictures, {plan.length} asked for")
            for at, seen in enumerate(found):
                try:
                    expected = asked_for(plan, at)
                except (RuleError, IndexError) as error:
                    wrong.append(f"{one.out_path} at {at}: {error}")
                    break
                if expected is None:
                    tally["pictures mixed, not compared"] += 1
                    continue
                tally["pictures compared"] += 1
                if seen != (None if expected == -1 else expected):
                    wrong.append(f"{one.out_path} at {at}: shows {seen}, {expected} was asked for")
                    break
        named = {one.name for one in config.made.rglob("*") if one.is_file()}
        tally["files left unfinished"] = sum(name.endswith(".part") for name in named)
    finally:
        database.close()
    return tally, wrong


def main() -> None:
    minutes, seed = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0, int(sys.argv[2]) if len(sys.argv) > 2 else 1
    with tempfile.TemporaryDirectory(prefix="odd-meter-hour-") as name:
        folder = Path(name)
        (folder / "card").mkdir()
        cluster = Cluster(folder / "data")
        cluster.start()
        try:
            url = cluster.ensure_database("bench")
            migrate(url)
            config = Config.under(folder / "data", url, f"Card={folder / 'card'}")
            config.make_folders()
            database = Database(url)
            database.open()
            show = prepared(config, database, folder / "card")
            database.close()
            statuses, wrong, company = run(config, cluster, show, minutes, seed)
            with serving(config, [PORTS[1] + 1]):
                fresh: dict[str, Any] = answers(PORTS[1] + 1, show)
            for port in PORTS:
                mine = answers(port, show)
                wrong += [
                    f"port {port}: {one} is not what a fresh process answers"
                    for one in fresh
                    if mine[one] != fresh[one]
                ]
            company.stop()
            tally, bad = judged(config)
            print(f"{sum(statuses.values())} requests, {dict(statuses)}; killed: {dict(company.killed)}")
            print(*(f"{count} {what}" for what, count in sorted(tally.items())), sep="\n")
            print(f"{len(wrong) + len(bad) + len(broken(url))} things wrong", *wrong, *bad, *broken(url), sep="\n  ")
        finally:
            cluster.stop()


if __name__ == "__main__":
    main()
