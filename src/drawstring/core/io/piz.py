"""A chunk's planes packed as PIZ: values numbered, a wavelet over each channel, and Huffman's code.

The library packs PIZ, too, and comes to the same pixels; it takes nearly twice as long.

Source: F. Kainz, R. Bogart, "Technical Introduction to OpenEXR", openexr.com, section Data Compression; in
detail the library's `internal_piz.c` and `internal_huf.c`. D. A. Huffman, "A Method for the Construction of
Minimum-Redundancy Codes", Proc. IRE 40 (1952), with two queues as in J. van Leeuwen, "On the Construction of
Huffman Trees", ICALP 1976.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from drawstring.core.kernels import kernel

Pairs = NDArray[np.uint16]
"""(rows, W) values of half floats; (rows, 2 W) of what has 32 bits, its lower half first."""

MOST = 1 << 27
"""Values of a chunk; in more, readers could not count the bits."""

_SYMBOLS = (1 << 16) + 1
"""Every value, and a sign for "the last one, so many times more"."""

_LONGEST = 58
"""Bits of a code."""


class PizPacker:
    """Packs chunks, one after another, in room that is lent once.

    Parameters
    ----------
    sizes : sequence of int
        How many values of 16 bits a pixel of each channel has, in the header's order: 1 or 2.
    count : int
        Values of the largest chunk.
    """

    def __init__(self, sizes: Sequence[int], count: int) -> None:
        self._sizes = tuple(sizes)
        self._symbols = np.empty(count, np.uint16)
        self._room = np.empty(2 * count + 32, np.uint8)
        self._words = np.empty(count // 2 + 16, np.uint32)
        self._seen = np.empty(1 << 16, np.bool_)
        self._often = np.empty(_SYMBOLS, np.int64)
        self._codes = np.empty(_SYMBOLS, np.uint64)
        self._lengths = np.empty(_SYMBOLS, np.uint8)

    def pack(self, channels: Sequence[Pairs]) -> memoryview | None:
        """Pack the channels of one chunk, in the header's order.

        Returns
        -------
        memoryview or None
            Good until the next chunk is packed; None where it would not be shorter than the pixels.
        """
        if sum(pairs.size for pairs in channels) > MOST:
            return None
        seen = self._seen
        seen[:] = False
        for pairs in channels:
            mark(pairs, seen)
        seen[0] = True  # is always numbered, and never told
        numbers = (np.cumsum(seen) - 1).astype(np.uint16)
        last = int(numbers[-1])
        seen[0] = False
        bits = np.packbits(seen, bitorder="little")
        told = np.flatnonzero(bits)
        first_byte, last_byte = (int(told[0]), int(told[-1])) if told.size else (len(bits) - 1, 0)
        head = struct.pack("<2H", first_byte, last_byte) + bits[first_byte : last_byte + 1].tobytes()
        at = 0
        for pairs, size in zip(channels, self._sizes, strict=True):
            block = self._symbols[at : at + pairs.size].reshape(pairs.shape)
            put_numbers(pairs, numbers, block)
            for place in range(size):
                to_waves(block[:, place::size], last < 1 << 14)
            at += pairs.size
        symbols, most = self._symbols[:at], 2 * at - 1
        begin = len(head) + 4
        if begin + 20 >= most:
            return None
        self._room[: len(head)] = np.frombuffer(head, np.uint8)
        length = encode(symbols, self._often, self._lengths, self._codes, self._words, self._room[begin:most])
        if length < 0:
            return None
        self._room[len(head) : begin] = np.frombuffer(struct.pack("<i", length), np.uint8)
        return self._room[: begin + length].data


@kernel(nogil=True)
def mark(pairs: Pairs, seen: NDArray[np.bool_]) -> None:
    """Mark which values occur.

    Parameters
    ----------
    pairs : (rows, N) uint16
    seen : (65536,) bool
    """
    for row in pairs:
        for value in row:
            seen[value] = True


@kernel(nogil=True)
def put_numbers(pairs: Pairs, numbers: NDArray[np.uint16], into: Pairs) -> None:
    """Put each value's number in its place.

    Parameters
    ----------
    pairs, into : (rows, N) uint16
    numbers : (65536,) uint16
    """
    for y in range(pairs.shape[0]):
        row, out = pairs[y], into[y]
        for x in range(row.size):
            out[x] = numbers[row[x]]


@kernel(nogil=True)
def to_waves(plane: Pairs, is_small: bool) -> None:
    """Replace a plane by its means and differences, of pixels, of pairs of them, of pairs of these ...

    Parameters
    ----------
    plane : (H, W) uint16
        Changed in place.
    is_small : bool
        Whether no value has more than 14 bits, so that differences keep their sign.
    """
    height, width = plane.shape
    step = 1
    while 2 * step <= min(height, width):
        for y in range(0, height - 2 * step + 1, 2 * step):
            upper, lower = plane[y], plane[y + step]
            for x in range(0, width - 2 * step + 1, 2 * step):
                m0, d0 = _mean_and_difference(upper[x], upper[x + step], is_small)
                m1, d1 = _mean_and_difference(lower[x], lower[x + step], is_small)
                upper[x], lower[x] = _mean_and_difference(m0, m1, is_small)
                upper[x + step], lower[x + step] = _mean_and_difference(d0, d1, is_small)
            if width & step:
                x = width // (2 * step) * (2 * step)
                upper[x], lower[x] = _mean_and_difference(upper[x], lower[x], is_small)
        if height & step:
            row = plane[height // (2 * step) * (2 * step)]
            for x in range(0, width - 2 * step + 1, 2 * step):
                row[x], row[x + step] = _mean_and_difference(row[x], row[x + step], is_small)
        step *= 2


@kernel(nogil=True, inline="always")
def _mean_and_difference(a: int, b: int, is_small: bool) -> tuple[np.uint16, np.uint16]:
    if is_small:
        one, other = np.int32(np.int16(a)), np.int32(np.int16(b))
        return np.uint16((one + other) >> 1), np.uint16(one - other)
    shifted = (np.int32(a) + 32768) & 65535
    difference = shifted - np.int32(b)
    mean = (shifted + np.int32(b)) >> 1
    if difference < 0:
        mean = (mean + 32768) & 65535
    return np.uint16(mean), np.uint16(difference & 65535)


@kernel(nogil=True)
def encode(
    symbols: NDArray[np.uint16],
    often: NDArray[np.int64],
    lengths: NDArray[np.uint8],
    codes: NDArray[np.uint64],
    words: NDArray[np.uint32],
    room: NDArray[np.uint8],
) -> int:
    """Write symbols in Huffman's code: five numbers, the codes' lengths, and the bits.

    Parameters
    ----------
    symbols : (N,) uint16
        At least one.
    often, lengths, codes : (65537,)
        Lent for the work.
    words : (at least N / 2 + 16,) uint32
        Lent for the bits.
    room : (M,) uint8
        Filled.

    Returns
    -------
    int
        So many bytes of `room`; -1 where it does not do.
    """
    often[:] = 0
    for symbol in symbols:
        often[symbol] += 1
    first, last = 0, often.size - 2
    while not often[first]:
        first += 1
    while not often[last]:
        last -= 1
    again = last + 1  # stands for a symbol's repetition
    often[again] = 1
    _find_lengths(often[: again + 1], lengths[: again + 1])
    _find_codes(lengths[: again + 1], codes[: again + 1])
    table = _put_lengths(lengths[first : again + 1], room[20:])
    if table < 0:
        return -1
    most = min(words.size, (room.size - 20 - table) // 4)
    bits = put_symbols(symbols, codes, codes[again], words[:most])
    begin, whole = 20 + table, (bits + 7) // 8
    if bits < 0 or begin + whole > room.size:
        return -1
    room[begin : begin + whole] = words.view(np.uint8)[:whole]
    numbers = (first, again, table, bits, 0)
    for i in range(5):
        for byte in range(4):
            room[4 * i + byte] = np.uint8(numbers[i] >> (8 * byte) & 255)
    return int(begin + whole)


@kernel(nogil=True)
def _find_lengths(often: NDArray[np.int64], lengths: NDArray[np.uint8]) -> None:
    """Give each symbol that occurs the length of its code, and 0 to the others."""
    lengths[:] = 0
    leaves = _rarest_first(often)
    count = leaves.size
    weights = np.empty(2 * count - 1, np.int64)
    parents = np.empty(2 * count - 1, np.int32)
    for i in range(count):
        weights[i] = often[leaves[i]]
    leaf, inner = 0, count
    for made in range(count, 2 * count - 1):
        weights[made] = 0
        for _ in range(2):  # the two lightest, of leaves and of what was put together, both in order
            if leaf < count and (inner >= made or weights[leaf] <= weights[inner]):
                lightest, leaf = leaf, leaf + 1
            else:
                lightest, inner = inner, inner + 1
            weights[made] += weights[lightest]
            parents[lightest] = made
    depths = weights  # are not needed any more
    depths[2 * count - 2] = 0
    for i in range(2 * count - 3, -1, -1):
        depths[i] = depths[parents[i]] + 1
    for i in range(count):
        lengths[leaves[i]] = np.uint8(depths[i])


@kernel(nogil=True)
def _rarest_first(often: NDArray[np.int64]) -> NDArray[np.int32]:
    """Give the symbols that occur, the rarest first: nearly all are rare, and sorted by counting."""
    rare = 1024
    begins = np.zeros(rare + 1, np.int64)
    for number in often:
        if 0 < number < rare:
            begins[number + 1] += 1
    begins = np.cumsum(begins)
    ordered = np.empty(np.count_nonzero(often), np.int32)
    rest = begins[rare]
    common = np.empty(ordered.size - rest, np.int64)
    at = 0
    for symbol in range(often.size):
        number = often[symbol]
        if 0 < number < rare:
            ordered[begins[number]] = symbol
            begins[number] += 1
        elif number:
            common[at] = number * often.size + symbol
            at += 1
    common.sort()
    for i in range(common.size):
        ordered[rest + i] = common[i] % often.size
    return ordered


@kernel(nogil=True)
def _find_codes(lengths: NDArray[np.uint8], codes: NDArray[np.uint64]) -> None:
    """Give each symbol its code, shifted by 6, and the code's length: longer codes are smaller numbers."""
    following = np.zeros(_LONGEST + 1, np.uint64)
    for length in lengths:
        following[length] += np.uint64(1)
    code = np.uint64(0)
    for length in range(_LONGEST, 0, -1):
        shorter = (code + following[length]) >> np.uint64(1)
        following[length] = code
        code = shorter
    for symbol in range(lengths.size):
        length = lengths[symbol]
        if length:
            codes[symbol] = following[length] << np.uint64(6) | np.uint64(length)
            following[length] += np.uint64(1)


@kernel(nogil=True)
def _put_lengths(lengths: NDArray[np.uint8], room: NDArray[np.uint8]) -> int:
    """Write the codes' lengths, six bits each, runs of 0 shortened; give the bytes, -1 for too many."""
    held, bits, at, i = 0, 0, 0, 0
    while i < lengths.size:
        if at + 4 > room.size:
            return -1
        run = 0
        while i + run < lengths.size and not lengths[i + run] and run < 261:
            run += 1
        if run >= 6:
            held, bits = held << 14 | 63 << 8 | (run - 6), bits + 14
        elif run >= 2:
            held, bits = held << 6 | (59 + run - 2), bits + 6
        else:
            run = 1
            held, bits = held << 6 | lengths[i], bits + 6
        i += run
        while bits >= 8:
            bits -= 8
            room[at] = np.uint8(held >> bits & 255)
            at += 1
        held &= 255
    if bits:
        room[at] = np.uint8(held << (8 - bits) & 255)
        at += 1
    return at


@kernel(nogil=True)
def put_symbols(
    symbols: NDArray[np.uint16], codes: NDArray[np.uint64], again: np.uint64, words: NDArray[np.uint32]
) -> int:
    """Write the symbols' codes, runs of one shortened.

    Parameters
    ----------
    symbols : (N,) uint16
    codes : (65537,) uint64
        Each symbol's, shifted by 6, and its length, up to 58.
    again : int
        The code for a repetition; how often follows it in eight bits.
    words : (M,) uint32
        Filled, each word's first byte in front.

    Returns
    -------
    int
        Bits; -1 where the words do not do.
    """
    six, word, of_length = np.uint64(6), np.uint64(32), np.uint64(63)
    again_length = np.int64(again & of_length)
    held, bits = np.uint64(0), np.uint64(0)  # of which fewer than a word wait between two codes
    at, i, count, most = 0, 0, symbols.size, words.size - 4
    while i < count:
        if at >= most:
            return -1
        symbol = symbols[i]
        code = codes[symbol]
        length = code & of_length
        i += 1
        if length <= word and (i == count or symbols[i] != symbol):
            # Nearly all: written out here, since a call for each would take three times as long.
            held, bits = held << length | code >> six, bits + length
            if bits >= word:
                bits -= word
                words[at] = _turned(np.uint32(held >> bits))
                at += 1
            continue
        run = 0
        while i < count and symbols[i] == symbol and run < 255:
            i += 1
            run += 1
        if np.int64(length) * run > again_length + 8:
            held, bits, at = _put(code, held, bits, words, at)
            held, bits, at = _put(again, held, bits, words, at)
            held, bits, at = _put(np.uint64(run) << six | np.uint64(8), held, bits, words, at)
            continue
        for _ in range(run + 1):
            if at >= most:
                return -1
            held, bits, at = _put(code, held, bits, words, at)
    if bits:
        words[at] = _turned(np.uint32(held << (word - bits)))
    return int(at * 32 + np.int64(bits))


@kernel(nogil=True)
def _put(
    code: np.uint64, held: np.uint64, bits: np.uint64, words: NDArray[np.uint32], at: int
) -> tuple[np.uint64, np.uint64, int]:
    """Write one code of up to 58 bits."""
    word = np.uint64(32)
    value, length = code >> np.uint64(6), code & np.uint64(63)
    if length > word:
        held, bits = held << (length - word) | value >> word, bits + length - word
        if bits >= word:
            bits -= word
            words[at] = _turned(np.uint32(held >> bits))
            at += 1
        value, length = value & np.uint64(0xFFFFFFFF), word
    held, bits = held << length | value, bits + length
    if bits >= word:
        bits -= word
        words[at] = _turned(np.uint32(held >> bits))
        at += 1
    return held, bits, at


@kernel(nogil=True)
def _turned(word: np.uint32) -> np.uint32:
    """Give a word's bytes, the last one first."""
    return np.uint32(
        (word >> np.uint32(24))
        | ((word >> np.uint32(8)) & np.uint32(0xFF00))
        | ((word << np.uint32(8)) & np.uint32(0xFF0000))
        | (word << np.uint32(24))
    )
