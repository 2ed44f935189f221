"""Running sums of sixteen bytes at once, which the compiler does not find by itself in a loop.

Each byte of a packed chunk is told by its difference from the one before it, so a sum waits for that before
it. Within sixteen, four additions do: of what lies one, two, four and eight bytes before.

Source of the four additions: W. D. Hillis, G. L. Steele, "Data parallel algorithms", Communications of the
ACM 29(12), 1986, pp. 1170-1183.
"""

from __future__ import annotations

from typing import Any

from drawstring.core.kernels import written_out

SIXTEEN = 16


@written_out
def sum_sixteen() -> Any:
    """Give `(firsts, seconds, at, into, to, low, high) -> (low, high)`, for kernels.

    Sixteen of `firsts` and of `seconds`, uint8 from `at` on, each plus 128, are summed up from `low` and
    `high` on, modulo 256, and put into `into`, uint16 from `to` on, as low and high bytes. The last two sums
    are given. All sixteen have to be there: nothing is checked.
    """
    import llvmlite.ir as ir
    from numba.core import types
    from numba.extending import intrinsic

    byte, number = ir.IntType(8), ir.IntType(32)
    sixteen, pairs = ir.VectorType(byte, SIXTEEN), ir.VectorType(byte, 2 * SIXTEEN)
    none = ir.Constant(sixteen, [0] * SIXTEEN)

    def order(places: list[int]) -> Any:
        return ir.Constant(ir.VectorType(number, len(places)), places)

    def place(context: Any, builder: Any, kind: Any, array: Any, at: Any, seen_as: Any) -> Any:
        data = context.make_array(kind)(context, builder, array).data
        return builder.bitcast(builder.gep(data, [at]), seen_as.as_pointer())

    def summed(builder: Any, where: Any, begin: Any) -> Any:
        coded = builder.load(where)
        coded.align = 1  # a span may begin anywhere
        sums = builder.xor(coded, ir.Constant(sixteen, [128] * SIXTEEN))
        for step in (1, 2, 4, 8):
            before = [0] * step + list(range(SIXTEEN, 2 * SIXTEEN - step))
            sums = builder.add(sums, builder.shuffle_vector(none, sums, order(before)))
        first = builder.insert_element(none, begin, ir.Constant(number, 0))
        return builder.add(sums, builder.shuffle_vector(first, none, order([0] * SIXTEEN)))

    @intrinsic
    def sum_up(
        typing: Any, firsts: Any, seconds: Any, at: Any, into: Any, to: Any, low: Any, high: Any
    ) -> Any:
        if {firsts.layout, seconds.layout, into.layout} != {"C"}:
            raise TypeError("sums are made of bytes that lie side by side")
        both = types.UniTuple(types.uint8, 2)  # type: ignore[no-untyped-call]
        signature = both(firsts, seconds, types.intp, into, types.intp, types.uint8, types.uint8)

        def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
            firsts, seconds, at, into, to, low, high = arguments
            kinds = signature.args
            lows = summed(builder, place(context, builder, kinds[0], firsts, at, sixteen), low)
            highs = summed(builder, place(context, builder, kinds[1], seconds, at, sixteen), high)
            in_turn = [i + of for i in range(SIXTEEN) for of in (0, SIXTEEN)]
            together = builder.shuffle_vector(lows, highs, order(in_turn))
            stored = builder.store(together, place(context, builder, kinds[3], into, to, pairs))
            stored.align = 1
            last = ir.Constant(number, SIXTEEN - 1)
            ends = [builder.extract_element(sums, last) for sums in (lows, highs)]
            return context.make_tuple(builder, signature.return_type, ends)

        return signature, generate

    return sum_up
