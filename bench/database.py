"""A database for a measurement, empty and by itself."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from oddmeter.local.cluster import Cluster
from oddmeter.store.migrate import migrate


@contextmanager
def fresh_database() -> Iterator[tuple[Path, str]]:
    """A folder, and the address of an empty database in it; both are gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="odd-meter-bench-") as folder:
        cluster = Cluster(Path(folder) / "data")
        cluster.start()
        try:
            url = cluster.ensure_database("bench")
            migrate(url)
            yield Path(folder), url
        finally:
            cluster.stop()
            cluster.discard()
