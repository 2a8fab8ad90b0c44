"""ASC MHL: the hash list of the American Society of Cinematographers, through its own library."""

import os
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from platform import node

from oddmeter.core.numbers.errors import RuleError
from oddmeter.interchange.hashlists.hashes import Algorithm

FOLDER = "ascmhl"


def write_mhl(folder: Path, hashes: Mapping[str, str], algorithm: Algorithm, person: str, version: str) -> None:
    """Write the first generation of hashes of files, each by its path below a folder; nothing is hashed again."""
    from ascmhl.generator import MHLGenerationCreationSession  # noqa: PLC0415  (its libraries take long to load)
    from ascmhl.hashlist import MHLAuthor, MHLCreatorInfo, MHLProcess, MHLProcessInfo, MHLTool  # noqa: PLC0415
    from ascmhl.history import MHLHistory  # noqa: PLC0415

    session = MHLGenerationCreationSession(MHLHistory.load_from_path(str(folder)))
    for path, text in sorted(hashes.items()):
        stat = (folder / path).stat()
        changed = datetime.fromtimestamp(stat.st_mtime)
        session.append_file_hash(str(folder / path), stat.st_size, changed, algorithm.value, text)
    creator, process = MHLCreatorInfo(), MHLProcessInfo()
    creator.tool, creator.host_name = MHLTool("Odd Meter", version), node() or "unknown"
    creator.creation_date = datetime.now(UTC).replace(microsecond=0).isoformat()
    if person:
        creator.authors.append(MHLAuthor(person))
    process.process = MHLProcess("in-place")
    session.commit(creator, process)


def read_mhl(folder: Path) -> tuple[Algorithm, dict[str, str]]:
    """The algorithm of the newest hash list of a folder, and the hash of each file by its path below it. Raises
    ``RuleError`` where there is none that can be read."""
    from ascmhl.history import MHLHistory  # noqa: PLC0415

    try:
        lists = MHLHistory.load_from_path(str(folder)).hash_lists
    except Exception as error:  # the library raises whatever its parser does
        raise RuleError(f"The hash list in {FOLDER} cannot be read.", "sheet") from error
    if not lists:
        raise RuleError(f"There is no hash list in {FOLDER}.", "sheet")
    kinds = {kind.value: kind for kind in Algorithm}
    found: dict[str, str] = {}
    algorithm = Algorithm.XXH128
    for entry in lists[-1].media_hashes:
        for text in entry.hash_entries:
            if text.hash_format in kinds:
                algorithm = kinds[text.hash_format]
                found[entry.path.replace(os.sep, "/")] = text.hash_string
    return algorithm, found
