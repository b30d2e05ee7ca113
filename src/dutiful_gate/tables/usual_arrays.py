"""Arrow arrays in the types that are looked at here: others that hold the same values are brought into these."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc


def usual(array: pa.Array) -> pa.Array:
    """The same values in a type that kernels and readers know: encoded by runs, by entries that are lists or null, in
    views, or in decimals of few bits, they are written out."""
    kind = array.type
    if pa.types.is_run_end_encoded(kind):
        return usual(pc.run_end_decode(array))
    if pa.types.is_dictionary(kind):
        if _is_plain(kind.value_type) and not array.dictionary.null_count:
            return array
        return usual(usual(array.dictionary).take(array.indices))
    if pa.types.is_decimal(kind) and kind.bit_width < 128:
        return array.cast(pa.decimal128(kind.precision, kind.scale))
    if str(kind).partition("<")[0] in ("list_view", "large_list_view"):
        return list_of(array.flatten(), pc.list_value_length(array), array.is_null())
    return array


def list_of(values: pa.Array, lengths: pa.Array, nothing: pa.Array | None) -> pa.ListArray:
    """Lists of so many of some values, one after the other; null where nothing stands."""
    counts = pc.fill_null(lengths, 0).to_numpy(zero_copy_only=False)
    offsets = pa.array(np.concatenate(([0], np.cumsum(counts))), pa.int32())
    return pa.ListArray.from_arrays(offsets, values, mask=nothing)


def _is_plain(kind: pa.DataType) -> bool:
    """Whether entries of a type may stay apart from the numbers that name them."""
    odd = pa.types.is_nested(kind) or isinstance(kind, pa.BaseExtensionType) or pa.types.is_run_end_encoded(kind)
    return not (odd or (pa.types.is_decimal(kind) and kind.bit_width < 128))
