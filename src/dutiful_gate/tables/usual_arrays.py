"""Arrow arrays in the types that are looked at here: others that hold the same values are brought into these."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc


def usual(array: pa.Array) -> pa.Array:
    """The same values in a type that kernels and readers know, in memory of their own where it was another.

    Encoded by runs, by entries that are lists or null, in views, in decimals of few bits, they are written out; text
    and bytes have offsets of 32 bits, also inside of lists and structs.
    """
    kind = array.type
    if pa.types.is_run_end_encoded(kind):
        return usual(pc.run_end_decode(array))
    if pa.types.is_dictionary(kind):
        if not _is_plain(kind.value_type) or array.dictionary.null_count:
            return usual(usual(array.dictionary).take(array.indices))
        entries = usual(array.dictionary)
        same = entries is array.dictionary or entries.type == kind.value_type
        return array if same else pa.DictionaryArray.from_arrays(array.indices, entries, ordered=kind.ordered)
    if pa.types.is_decimal(kind) and kind.bit_width < 128:
        return array.cast(pa.decimal128(kind.precision, kind.scale))
    if pa.types.is_string(kind) or pa.types.is_binary(kind) or _is_other_text(kind):
        return _of_text(array)
    if str(kind).partition("<")[0] in ("list_view", "large_list_view"):
        return list_of(usual(array.flatten()), pc.list_value_length(array), array.is_null())
    if not _is_odd(kind):
        return array
    nothing = array.is_null()
    if pa.types.is_struct(kind):
        inside = [usual(each) for each in array.flatten()]
        return pa.StructArray.from_arrays(inside, [field.name for field in kind], mask=nothing)
    return list_of(usual(array.flatten()), pc.list_value_length(array), nothing)


def _of_text(array: pa.Array) -> pa.Array:
    """Text or bytes with offsets of 32 bits that begin with 0; as they came where there are too many for that.

    A piece of a column of other offsets is copied first: some kernels take what a cast makes of it from the start of
    the whole column, and so the text of other rows.
    """
    kind = array.type
    if pa.types.is_string(kind) or pa.types.is_binary(kind):
        return (
            array
            if array.offset or not len(array) or not np.frombuffer(array.buffers()[1], np.int32, 1)[0]
            else _copied(array)
        )
    wanted = pa.string() if "string" in str(kind) else pa.binary()
    try:
        if str(kind).endswith("view"):  # which are not cut out by where they begin, and which some versions cannot take
            return _copied(array.cast(wanted))
        return _copied(array).cast(wanted)
    except pa.ArrowInvalid:  # 2 GB in one piece
        return array
    except pa.ArrowNotImplementedError:  # views, to older versions
        return pa.array(array.to_pylist(), wanted)


def _copied(array: pa.Array) -> pa.Array:
    return array.take(pa.array(np.arange(len(array))))


def _is_other_text(kind: pa.DataType) -> bool:
    """Whether values are text or bytes, but not with offsets of 32 bits."""
    views = str(kind) in ("string_view", "binary_view")
    return bool(views or pa.types.is_large_string(kind) or pa.types.is_large_binary(kind))


def _is_odd(kind: pa.DataType) -> bool:
    """Whether such text or bytes stand inside of a struct or a list."""
    if not (pa.types.is_struct(kind) or _is_list(kind)):
        return False
    inside = [kind.field(number).type for number in range(kind.num_fields)]
    return any(_is_other_text(each) or _is_odd(each) for each in inside)


def _is_list(kind: pa.DataType) -> bool:
    return bool(pa.types.is_list(kind) or pa.types.is_large_list(kind) or pa.types.is_fixed_size_list(kind))


def list_of(values: pa.Array, lengths: pa.Array, nothing: pa.Array | None) -> pa.ListArray:
    """Lists of so many of some values, one after the other; null where nothing stands."""
    counts = pc.fill_null(lengths, 0).to_numpy(zero_copy_only=False)
    offsets = pa.array(np.concatenate(([0], np.cumsum(counts))), pa.int32())
    return pa.ListArray.from_arrays(offsets, values, mask=nothing)


def _is_plain(kind: pa.DataType) -> bool:
    """Whether entries of a type may stay apart from the numbers that name them."""
    odd = pa.types.is_nested(kind) or isinstance(kind, pa.BaseExtensionType) or pa.types.is_run_end_encoded(kind)
    return not (odd or (pa.types.is_decimal(kind) and kind.bit_width < 128))


def _first_offset(array: pa.Array) -> int:
    """Where the bytes of the first value begin."""
    return int(np.frombuffer(array.buffers()[1], np.int32, 1)[0])


def is_text(kind: pa.DataType) -> bool:
    """Whether values of an Arrow type are text."""
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))
