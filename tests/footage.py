"""The footage of tests, made once and kept between runs; ``python -m tests.footage`` makes it before they start."""

import fcntl
import hashlib
import shutil
from pathlib import Path

from oddmeter.demo import takes
from oddmeter.demo.takes import make_footage

KEPT = Path(__file__).parents[1] / ".data"


def kept(what: str, *made_by: Path) -> Path:
    """A folder for made files, kept between runs for as long as the code that makes them is the same; what older code
    made is thrown away."""
    content = hashlib.sha256(b"".join(path.read_bytes() for path in made_by)).hexdigest()[:12]
    folder = KEPT / f"test-{what}-{content}"
    folder.mkdir(parents=True, exist_ok=True)
    for older in KEPT.glob(f"test-{what}*"):
        if older != folder:
            shutil.rmtree(older, ignore_errors=True)
    return folder


def made_footage() -> Path:
    """A media root with all of The Tide Bell, the same each time. Only one of several processes makes it."""
    folder = kept("media", *sorted(Path(takes.__file__).parent.glob("*.py")))
    with (folder / ".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        make_footage(folder)
    return folder


if __name__ == "__main__":
    made_footage()
