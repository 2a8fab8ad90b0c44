"""Lanes: a line of a patch at once. What is counted over patches most often, in vectors of eight samples.

numba does not put loops as short as a patch's lines into vectors by itself; here they are written so (numba's
``intrinsic``, LLVM's vector types), which runs on any processor, and several times as fast. A spot is where a patch is
read: a padded picture, the line and column of its first sample, and how far beyond them it lies.
"""

from collections.abc import Callable, Sequence
from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

LANES = 8
_FLOAT = ir.FloatType()
_VECTOR = ir.VectorType(_FLOAT, LANES)
_FAST = ("fast",)


class _Lines:
    """Builds the code that reads lines of ``LANES`` samples of one patch, also those around it, each line only once."""

    def __init__(self, context: Any, builder: Any, kind: Any, values: Sequence[Any]) -> None:
        picture, top, left, down, right = values
        self.builder = builder
        array = context.make_array(kind)(context, builder, picture)
        strides = [builder.extract_value(array.strides, side) for side in range(2)]
        start = builder.add(builder.mul(top, strides[0]), builder.mul(left, strides[1]))
        self._base = builder.ptrtoint(array.data, strides[0].type)
        self._start, self._stride = start, strides[0]
        self._down, self._right = (splat(builder, one) for one in (down, right))
        self._raw: dict[tuple[int, int], Any] = {}
        self._across: dict[tuple[int, int], Any] = {}

    def line(self, row: int, column: int = 0) -> Any:
        """The samples of a line, between four each."""
        above, below = self._between(row, column), self._between(row + 1, column)
        return mix(self.builder, above, below, self._down)

    def whole(self, row: int) -> Any:
        """The samples of a line themselves, where a patch lies on them."""
        return self._load(row, 0)

    def _between(self, row: int, column: int) -> Any:
        key = (row, column)
        if key not in self._across:
            here, beside = self._load(row, column), self._load(row, column + 1)
            self._across[key] = mix(self.builder, here, beside, self._right)
        return self._across[key]

    def _load(self, row: int, column: int) -> Any:
        key = (row, column)
        if key not in self._raw:
            builder, whole = self.builder, self._stride.type
            away = builder.add(self._start, builder.mul(self._stride, ir.Constant(whole, row)))
            away = builder.add(away, ir.Constant(whole, 4 * column))
            pointer = builder.inttoptr(builder.add(self._base, away), _VECTOR.as_pointer())
            self._raw[key] = builder.load(pointer, align=4)
        return self._raw[key]


def splat(builder: Any, value: Any) -> Any:
    """A vector of one value."""
    vector = builder.insert_element(ir.Constant(_VECTOR, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    order = ir.Constant(ir.VectorType(ir.IntType(32), LANES), [0] * LANES)
    return builder.shuffle_vector(vector, ir.Constant(_VECTOR, ir.Undefined), order)


def mix(builder: Any, one: Any, other: Any, share: Any) -> Any:
    """``one`` and so much of the way to ``other``."""
    return builder.fadd(one, builder.fmul(share, builder.fsub(other, one, _FAST), _FAST), _FAST)


def total(builder: Any, vector: Any) -> Any:
    """The sum of the samples of a vector."""
    kind = ir.FunctionType(_FLOAT, [_FLOAT, _VECTOR])
    name = f"llvm.vector.reduce.fadd.v{LANES}f32"
    function = builder.module.globals.get(name) or ir.Function(builder.module, kind, name)
    return builder.call(function, [ir.Constant(_FLOAT, 0.0), vector], fastmath=_FAST)


def size(builder: Any, vector: Any) -> Any:
    """The samples without their signs."""
    kind, name = ir.FunctionType(_VECTOR, [_VECTOR]), f"llvm.fabs.v{LANES}f32"
    function = builder.module.globals.get(name) or ir.Function(builder.module, kind, name)
    return builder.call(function, [vector])


def summed(builder: Any, vectors: Sequence[Any]) -> Any:
    """Vectors added up, by pairs."""
    while len(vectors) > 1:
        pairs = [builder.fadd(a, b, _FAST) for a, b in zip(vectors[::2], vectors[1::2], strict=False)]
        vectors = [*pairs, *vectors[len(pairs) * 2 :]]
    return vectors[0]


def _of_two(result: Any, build: Callable[[Any, _Lines, _Lines, Sequence[Any]], Any]) -> Any:
    """An intrinsic of two spots, each a picture with its line, column and how far beyond them, and three numbers."""

    def typing(typed: Any, a: Any, ta: Any, la: Any, da: Any, ra: Any, b: Any, tb: Any, lb: Any, db: Any, rb: Any,
               p: Any, q: Any, r: Any) -> Any:  # fmt: skip
        spot, number = (types.intp, types.intp, types.float32, types.float32), types.float32
        signature = result(a, *spot, b, *spot, number, number, number)

        def code(context: Any, builder: Any, signature: Any, values: Sequence[Any]) -> Any:
            first = _Lines(context, builder, signature.args[0], values[:5])
            second = _Lines(context, builder, signature.args[5], values[5:10])
            made = build(builder, first, second, values[10:])
            return context.make_tuple(builder, signature.return_type, made) if isinstance(made, list) else made

        return signature, code

    return typing


def _costed(builder: Any, off: Sequence[Any], light: Any, of_light: Any) -> tuple[Any, Any]:
    """How far lines differ, in all, less most of what they differ by as a whole; and that sum."""
    whole = total(builder, summed(builder, off))
    mean = builder.fmul(whole, ir.Constant(_FLOAT, 1 / LANES**2), _FAST)
    low = builder.fneg(light)
    mean = builder.select(builder.fcmp_ordered("<", mean, low), low, mean)
    mean = builder.select(builder.fcmp_ordered(">", mean, light), light, mean)
    mean = splat(builder, builder.fmul(mean, of_light, _FAST))
    return total(builder, summed(builder, [size(builder, builder.fsub(one, mean, _FAST)) for one in off])), whole


def _cost(builder: Any, first: _Lines, second: _Lines, values: Sequence[Any]) -> Any:
    off = [builder.fsub(second.line(row), first.line(row), _FAST) for row in range(LANES)]
    return _costed(builder, off, *values[:2])[0]


def _whole_cost(builder: Any, first: _Lines, second: _Lines, values: Sequence[Any]) -> Any:
    off = [builder.fsub(second.whole(row), first.whole(row), _FAST) for row in range(LANES)]
    return _costed(builder, off, *values[:2])[0]


def _cost_and_sums(builder: Any, first: _Lines, second: _Lines, values: Sequence[Any]) -> Any:
    light, of_light, rest = values
    share, half = splat(builder, rest), splat(builder, ir.Constant(_FLOAT, 0.5))
    off = [builder.fsub(second.line(row), first.line(row), _FAST) for row in range(LANES)]

    def between(row: int, column: int) -> Any:
        return mix(builder, first.line(row, column), second.line(row, column), share)

    def slope(one: Any, other: Any) -> Any:
        return builder.fmul(builder.fsub(other, one, _FAST), half, _FAST)

    middle = [between(row, 0) for row in range(-1, LANES + 1)]
    down = [slope(middle[row], middle[row + 2]) for row in range(LANES)]
    along = [slope(between(row, -1), between(row, 1)) for row in range(LANES)]

    def of(one: Sequence[Any], other: Sequence[Any]) -> Any:
        products = [builder.fmul(a, b, _FAST) for a, b in zip(one, other, strict=True)]
        return total(builder, summed(builder, products))

    cost, whole = _costed(builder, off, light, of_light)
    sums = [of(along, along), of(along, down), of(down, down), of(along, off), of(down, off)]
    return [cost, *sums, total(builder, summed(builder, along)), total(builder, summed(builder, down)), whole]


def _apart(builder: Any, first: _Lines, second: _Lines, values: Sequence[Any]) -> Any:
    gains, rows = [splat(builder, one) for one in values[:2]], []
    for row in range(WINDOW):
        pair = [builder.fmul(one.line(row), gain, _FAST) for one, gain in zip((first, second), gains, strict=True)]
        rows.append(size(builder, builder.fsub(pair[0], pair[1], _FAST)))
    counted = ir.Constant(_VECTOR, [1.0] * WINDOW + [0.0] * (LANES - WINDOW))
    return total(builder, builder.fmul(summed(builder, rows), counted, _FAST))


def _drawn(count: int, build: Callable[[Any, _Lines, Sequence[Any], Sequence[Any]], Sequence[Any]]) -> Any:
    """An intrinsic of a picture, the line and column of the first sample that counts, and what four lines and four
    columns count for; it gives so many samples."""

    def typing(typed: Any, picture: Any, top: Any, left: Any, downs: Any, rights: Any) -> Any:
        weights = types.UniTuple(types.float32, 4)

        def code(context: Any, builder: Any, signature: Any, values: Sequence[Any]) -> Any:
            nothing = ir.Constant(_FLOAT, 0.0)
            read = _Lines(context, builder, signature.args[0], (*values[:3], nothing, nothing))
            down, right = ([builder.extract_value(values[side], n) for n in range(4)] for side in (3, 4))
            made = build(builder, read, [splat(builder, one) for one in down], right)
            return context.make_tuple(builder, signature.return_type, made)

        return types.UniTuple(types.float32, count)(picture, types.intp, types.intp, weights, weights), code

    return typing


def _four(builder: Any, read: _Lines, down: Sequence[Any], right: Sequence[Any]) -> Sequence[Any]:
    above, below = (_weighed(builder, read, first, down) for first in range(2))
    across = vector(builder, [*right, *right])
    pairs = [builder.fmul(across, picked(builder, above, below, _square(at)), _FAST) for at in range(2)]
    halves = _neighbours_added(builder, pairs[0], pairs[1], LANES)
    return taken(builder, _neighbours_added(builder, halves, halves, 4), (0, 2, 1, 3))


def _pair(builder: Any, read: _Lines, down: Sequence[Any], right: Sequence[Any]) -> Sequence[Any]:
    across = vector(builder, [one for one in right for _ in range(2)])
    found = builder.fmul(across, _weighed(builder, read, 0, down), _FAST)
    for count in (LANES // 2, LANES // 4):
        near, far = (picked(builder, found, found, range(first, first + count)) for first in (0, count))
        found = builder.fadd(near, far, _FAST)
    return taken(builder, found, (0, 1))


def _straight_pair(builder: Any, read: _Lines, down: Sequence[Any], right: Sequence[Any]) -> Sequence[Any]:
    far = splat(builder, right[0])
    found = mix(builder, read.whole(0), read.whole(1), down[0])
    beside = picked(builder, found, found, range(2, 2 + LANES // 2))
    found = picked(builder, found, found, range(LANES // 2))
    far = picked(builder, far, far, range(LANES // 2))
    return taken(builder, mix(builder, found, beside, far), (0, 1))


def _weighed(builder: Any, read: _Lines, first: int, down: Sequence[Any]) -> Any:
    """The sum of four lines, each by what it counts for."""
    return summed(builder, [builder.fmul(share, read.whole(first + row), _FAST) for row, share in enumerate(down)])


def _square(at: int) -> list[int]:
    """Four samples from a place on, of two vectors behind each other."""
    return [*range(at, at + 4), *range(LANES + at, LANES + at + 4)]


def vector(builder: Any, values: Sequence[Any]) -> Any:
    """A vector of single values."""
    made = ir.Constant(_VECTOR, ir.Undefined)
    for place, one in enumerate(values):
        made = builder.insert_element(made, one, ir.Constant(ir.IntType(32), place))
    return made


def taken(builder: Any, values: Any, places: Sequence[int]) -> list[Any]:
    """Single samples of a vector."""
    return [builder.extract_element(values, ir.Constant(ir.IntType(32), place)) for place in places]


def picked(builder: Any, one: Any, other: Any, places: Sequence[int]) -> Any:
    """The samples at some places of two vectors behind each other."""
    order = ir.Constant(ir.VectorType(ir.IntType(32), len(places)), list(places))
    return builder.shuffle_vector(one, other, order)


def _neighbours_added(builder: Any, one: Any, other: Any, count: int) -> Any:
    """Every two samples of two vectors behind each other added, the first so many of them."""
    even, odd = (picked(builder, one, other, range(first, 2 * count, 2)) for first in range(2))
    return builder.fadd(even, odd, _FAST)


WINDOW = 6
"""Samples along the smaller patch, of which only so many lanes count."""
lanes_cost = intrinsic(_of_two(types.float32, _cost))
"""How far two patches of ``LANES`` lines differ: the most that a whole patch may be lighter, and how much of that does
not count."""
lanes_whole_cost = intrinsic(_of_two(types.float32, _whole_cost))
"""The same of patches that lie on whole samples, whatever else is said of their spots."""
lanes_cost_and_sums = intrinsic(_of_two(types.UniTuple(types.float32, 9), _cost_and_sums))
"""The first, with what a Gauss-Newton step needs of what lies between both by a share: the sums over the patch of
products of slopes and difference (xx, xy, yy, xo, yo), and of each (x, y, o)."""
lanes_apart = intrinsic(_of_two(types.float32, _apart))
"""The sum of differences of two patches of ``WINDOW`` lines, each times a gain."""
lanes_four = intrinsic(_drawn(4, _four))
"""A square of two by two samples, line by line, each of the four by four samples around it by what those lines and
columns count for."""
lanes_pair = intrinsic(_drawn(2, _pair))
"""One sample of each of two planes whose samples lie beside each other, of the shape (lines, samples, 2), of the four
by four around it."""
lanes_straight_pair = intrinsic(_drawn(2, _straight_pair))
"""The same of the two by two around it, on the straight line between them: only the first of the weights count, which
are how far beyond the first line and column the sample lies."""
