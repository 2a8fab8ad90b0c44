"""What packages and the queue cost: verifying against plain hashing, hashing against making, and the glance at a queue
of many finished files.

    .venv/bin/python -m bench.packages
"""

import tempfile
from pathlib import Path

import xxhash

from bench.common import best
from bench.database import fresh_database
from oddmeter.core.conform.material import Material
from oddmeter.core.conform.speeds import conform
from oddmeter.core.decisions.treatment import Intent, Treatment
from oddmeter.core.numbers.rates import Rate
from oddmeter.core.planning.timelines import TimelineSettings
from oddmeter.demo.takes import make_footage
from oddmeter.interchange.hashlists.hashes import Algorithm, hash_of
from oddmeter.media.files.probe import probe
from oddmeter.media.plans import ClipPlan
from oddmeter.media.render import render
from oddmeter.media.settings.shipped import ARCHIVE, EDIT, VIEW
from oddmeter.media.verify import verify
from oddmeter.store import renders
from oddmeter.store.database import Database
from oddmeter.work.orders import order_of_conform
from oddmeter.work.package.closing import Wanted, close_package
from oddmeter.work.package.verifying import verified

MANY = 100_000


def plain_hash(paths: list[Path]) -> None:
    """Every file read and hashed, nothing else."""
    for path in paths:
        hasher = xxhash.xxh3_128()
        with path.open("rb", buffering=0) as file:
            while data := file.read(1 << 22):
                hasher.update(data)


def of_packages(folder: Path) -> None:
    """Print what verifying costs, and what hashing costs beside making."""
    source = {path.name: path for path in make_footage(folder / "demo")}["FD1_A01_interview.mov"]
    facts = probe(source)
    assert facts.file_rate is not None
    planned = conform(Material(facts.frames, facts.file_rate), Treatment(Intent.EVERY_FRAME), Rate.of(25))
    order = order_of_conform(planned, TimelineSettings("", Rate.of(25))).model_copy(update={"canvas": None})
    wanted = [
        Wanted(f"{n}.mov", lambda inside, n=n: ClipPlan(source, facts, planned, EDIT, inside / f"{n}.mov"), order)
        for n in range(8)
    ]
    closed = close_package(folder / "package", wanted, Algorithm.XXH128).folder
    paths = [path for path in closed.rglob("*") if path.is_file() and "ascmhl" not in path.parts]
    bare, ours = best(lambda: plain_hash(paths)), best(lambda: verified(closed))
    deep = best(lambda: verified(closed, hashes=False), 1)
    size = sum(path.stat().st_size for path in paths) / 1e6
    print(f"verify {size:.0f} MB: {ours:.2f} s; hashed alone {bare:.2f} s: {bare / ours:.2f} of its speed")
    print(f"verify without hashes, all decoded: {deep:.2f} s")
    for setting in (ARCHIVE, EDIT, VIEW):
        plan = ClipPlan(source, facts, planned, setting, folder / "made" / f"one{setting.suffix}")

        def made(plan: ClipPlan = plan) -> None:
            plan.out.unlink(missing_ok=True)
            verify(plan, losses=render(plan))

        making, hashing = best(made), best(lambda plan=plan: hash_of(plan.out, Algorithm.XXH128))
        print(f"{setting}: made and proven {making:.2f} s, hashed {hashing * 1000:.1f} ms: {hashing / making:.2%}")


def of_queue(database: Database) -> None:
    """Print what the queue's glance and its first page cost with no finished file, and with many."""
    with database.transaction() as connection:
        show = int(str(connection.execute("INSERT INTO show (name) VALUES ('many') RETURNING id").fetchone()[0]))

    def glance() -> None:
        with database.transaction() as connection:
            renders.counts(connection, show)
            renders.under_way(connection, show)
            renders.to_try_again(connection, show)

    def page() -> None:
        with database.transaction() as connection:
            renders.renders_of_show(connection, show, 0, 200)

    without = best(glance, 20), best(page, 20)
    with database.transaction() as connection:
        connection.execute(
            "INSERT INTO render (show_id, setting, out_path, plan, state, total_frames, done_frames, proof, begun_at,"
            " finished_at) SELECT %s, 'view', 'many/' || n || '.mp4', '{\"timelines\": []}', 'done', 250, 250,"
            " '{\"checks\": []}', now(), now() FROM generate_series(1, %s) AS n",
            (show, MANY),
        )
        connection.execute("ANALYZE render")
    with_many = best(glance, 20), best(page, 20)
    for what, none, many in zip(("glance", "first page"), without, with_many, strict=True):
        print(f"the queue's {what}: {none * 1000:.1f} ms, with {MANY:,} finished files {many * 1000:.1f} ms")


def main() -> None:
    """Print all of it."""
    with tempfile.TemporaryDirectory() as folder:
        of_packages(Path(folder))
    with fresh_database() as (_, url):
        database = Database(url)
        database.open()
        of_queue(database)
        database.close()


if __name__ == "__main__":
    main()
