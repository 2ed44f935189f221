"""How large a source may be before it is refused instead of read.

A broken or hostile header can promise any size; these bounds are far above what a show delivers
and far below what would bring the machine down. Documented in docs/findings.md ("too-large").
"""

MAX_SIDE_PX = 65_536
"""Width or height of one window."""

MAX_PIXELS = 400_000_000
"""Pixels of one data window; a 12,288 x 6,480 picture has 80 million."""

MAX_CHANNELS = 1_024
"""Channels over all parts of a file."""

MAX_DECODED_BYTES = 16 * 1024**3
"""Bytes of all pixels of all channels once they are unpacked, four to a value: a 12,288 x 6,480 picture with
40 channels has 12.7 GB. What is larger than `WHOLE_BYTES` is never held whole."""

WHOLE_BYTES = 512 * 1024**2
"""Up to so many unpacked bytes a file is looked at in one go; beyond, band by band."""

MAX_HEADER_BYTES = 16 * 1024 * 1024
"""Bytes before the first pixel, the object-name manifest included."""

MAX_FILE_BYTES = 16 * 1024**3
"""Bytes of one file; the largest uncompressed frame within the limits above that a show delivers has 8 GB."""

MAX_CHUNKS = 2_000_000
"""Of one file, in its chunk table; the largest picture in tiles of 16 has 1.6 million."""
