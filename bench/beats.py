"""Beats found in music whose every beat is known, beside the beat tracker of the library librosa.

Run: .venv/bin/python -m bench.beats [SEEDS [FIRST]]
Every seed draws one piece of each kind, half a minute long, at a tempo of its own between 60 and 190 beats a minute
(in 6/8, where dotted crotchets are counted, 50 to 130); what was tuned used seeds below 100. The F-measure is
mir_eval's, with 70 ms either way and the first five seconds left out, as it does by itself. Where mir_eval is not
installed, or librosa not, what needs them is left out: both are no part of the product. Install them in another
environment and put this folder on its path.
"""

import sys
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from itertools import product
from math import ceil
from multiprocessing import get_context
from statistics import fmean
from typing import Any

import numpy as np

from oddmeter.demo.music import Piece, played
from oddmeter.media.sound.beats import RATE, tracked

KINDS: dict[str, dict[str, Any]] = {
    "steady": {},
    "swung": {"swing": 0.64},
    "drifting by 6 %": {"drift": 0.06},
    "drifting by 12 %": {"drift": 0.12},
    "15 % faster from half way": {"turn": 1.15},
    "drums break off": {"breaks": (4, 5)},
    "pauses": {"pauses": (5, 8)},
    "three in a bar": {"metre": 3},
    "six-eight": {"metre": 6},
    "syncopated": {"syncopated": True},
    "loosely played": {"loose": 0.012},
    "no drums": {"drums": False},
    "no drums, drifting": {"drums": False, "drift": 0.05},
    "no drums, three": {"drums": False, "metre": 3},
    "no drums, six-eight": {"drums": False, "metre": 6},
    "no drums, swung": {"drums": False, "swing": 0.66},
    "no drums, pauses": {"drums": False, "pauses": (5, 8)},
}
SECONDS = 30


def judge(case: tuple[str, int]) -> tuple[str, dict[str, tuple[float, float]]]:
    """For each tracker its F-measure and the seconds of processor time that it took, on one piece."""
    kind, seed = case
    dice = np.random.default_rng([seed, list(KINDS).index(kind)])
    metre = KINDS[kind].get("metre", 4)
    slowest, fastest = (50, 130) if metre == 6 else (60, 190)
    tempo = float(np.exp(dice.uniform(np.log(slowest), np.log(fastest))))
    bars = max(10, ceil(SECONDS * tempo / 60 / (2 if metre == 6 else metre)))
    samples, true = played(Piece(tempo, bars=bars, seed=int(dice.integers(1 << 30)), **KINDS[kind]), RATE)
    trackers: dict[str, Callable[[], Iterable[float]]] = {"ours": lambda: tracked(samples).beats}
    try:
        import librosa  # noqa: PLC0415

        trackers["librosa"] = lambda: librosa.beat.beat_track(y=samples, sr=RATE, units="time")[1]
        trackers["librosa"]()  # compiles at its first call
    except ImportError:
        pass
    out = {}
    for name, track in trackers.items():
        begun = time.process_time()
        found = np.array(list(track()))
        out[name] = (_agreement(np.array(true), found), time.process_time() - begun)
    return kind, out


def _agreement(true: "np.ndarray[Any, Any]", found: "np.ndarray[Any, Any]") -> float:
    try:
        from mir_eval.beat import f_measure, trim_beats  # noqa: PLC0415
    except ImportError:
        return float("nan")
    return float(f_measure(trim_beats(true), trim_beats(found)))


def main() -> None:
    count, first = ([int(word) for word in sys.argv[1:]] + [6, 0][len(sys.argv) - 1 :])[:2]
    with ProcessPoolExecutor(2, get_context("spawn")) as pool:
        judged = list(pool.map(judge, product(KINDS, range(first, first + count))))
    names = list(judged[0][1])
    print(f"F-measure, {count} pieces of each kind" + "".join(f"{name:>12}" for name in names))
    for kind in KINDS:
        means = [fmean(one[name][0] for of, one in judged if of == kind) for name in names]
        print(f"  {kind:30}" + "".join(f"{mean:12.3f}" for mean in means))
    print(f"  {'all':30}" + "".join(f"{fmean(one[name][0] for _, one in judged):12.3f}" for name in names))
    print(
        f"  {'processor time a piece, s':30}"
        + "".join(f"{fmean(o[name][1] for _, o in judged):12.2f}" for name in names)
    )


if __name__ == "__main__":
    main()
