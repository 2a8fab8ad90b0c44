"""The order of the queue: which file is made next, which ones are paused.

The order is urgency first, then turn. The library of the queue takes the job of the highest priority, a whole number;
it is worked out from both here, and nowhere else.
"""

from collections.abc import Sequence

from oddmeter.core.numbers.errors import RuleError
from oddmeter.store.database import Connection

URGENCIES = {1: "urgent", 0: "normal", -1: "when idle"}
IN_TURN = "urgency DESC, turn"
_APART = 500_000_000
"""Between two urgencies, as priorities; turns stay below."""


def give_turns(connection: Connection, render_ids: Sequence[int]) -> None:
    """Have the queue take the jobs of these renders in their order, after all that people wait for."""
    connection.execute(
        "UPDATE procrastinate_jobs j SET priority = (r.urgency - 1) * %s - least(r.turn, %s)::integer FROM render r"
        " WHERE j.status = 'todo' AND j.task_name = 'make_file' AND (j.args->>'render_id')::bigint = r.id"
        " AND r.id = ANY(%s)",
        (_APART, _APART - 1, list(render_ids)),
    )


def waiting_in_turn(connection: Connection, show_id: int) -> list[int]:
    """The renders of a show that wait, in their order."""
    rows = connection.execute(
        f"SELECT id FROM render WHERE show_id = %s AND state = 'waiting' ORDER BY {IN_TURN}".encode(), (show_id,)
    ).fetchall()
    return [int(str(row[0])) for row in rows]


def move(connection: Connection, show_id: int, render_ids: Sequence[int], before: int | None) -> None:
    """Put waiting renders of a show before another of its waiting ones, or behind all of them; they take over the
    urgency of what they come to stand beside. Files of other shows keep their place between.

    Raises ``RuleError`` where one of them does not wait any more.
    """
    rows = connection.execute(
        "SELECT id, urgency, turn FROM render WHERE show_id = %s AND state = 'waiting'"
        f" ORDER BY {IN_TURN} FOR UPDATE".encode(),
        (show_id,),
    ).fetchall()
    urgency = {int(str(number)): int(str(urgent)) for number, urgent, _ in rows}
    moved = [number for number in urgency if number in set(render_ids)]
    if len(moved) != len(set(render_ids)) or (before is not None and before not in urgency) or before in moved:
        raise RuleError("Only files that wait can be moved, before another that waits.", "state")
    rest = [number for number in urgency if number not in set(moved)]
    place = len(rest) if before is None else rest.index(before)
    beside = before if before is not None else (rest[-1] if rest else moved[-1])
    urgency |= dict.fromkeys(moved, urgency[beside])
    order = [*rest[:place], *moved, *rest[place:]]
    turns = sorted(int(str(turn)) for _, _, turn in rows)
    before_that = {int(str(number)): (int(str(urgent)), int(str(turn))) for number, urgent, turn in rows}
    changed = [
        (number, turn, urgency[number])
        for number, turn in zip(order, turns, strict=True)
        if before_that[number] != (urgency[number], turn)
    ]
    connection.execute(
        "UPDATE render r SET turn = n.turn, urgency = n.urgency"
        " FROM unnest(%s::bigint[], %s::bigint[], %s::smallint[]) AS n (id, turn, urgency) WHERE r.id = n.id",
        ([number for number, _, _ in changed], [turn for _, turn, _ in changed], [urgent for _, _, urgent in changed]),
    )
    give_turns(connection, [number for number, _, _ in changed])


def set_urgency(connection: Connection, render_ids: Sequence[int], urgency: int) -> int:
    """Make waiting renders more or less urgent; returns how many wait."""
    done = connection.execute(
        "UPDATE render SET urgency = %s WHERE id = ANY(%s) AND state = 'waiting'", (urgency, list(render_ids))
    )
    give_turns(connection, render_ids)
    return done.rowcount


def pause(connection: Connection, render_ids: Sequence[int]) -> int:
    """Pause renders that wait; returns how many. One that is being made is finished."""
    return connection.execute(
        "UPDATE render SET paused = true WHERE id = ANY(%s) AND state = 'waiting' AND NOT paused", (list(render_ids),)
    ).rowcount


def go_on(connection: Connection, render_ids: Sequence[int]) -> dict[str, int]:
    """Have paused renders go on; returns them by their files."""
    rows = connection.execute(
        "UPDATE render SET paused = false WHERE id = ANY(%s) AND paused RETURNING out_path, id", (list(render_ids),)
    ).fetchall()
    return {str(path): int(str(number)) for path, number in rows}
