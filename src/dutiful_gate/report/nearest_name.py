"""The known name that may have been meant, found at a cost that no payload can drive up."""

from __future__ import annotations

from functools import lru_cache

_LONGEST = 60
_FEW = 4


@lru_cache(maxsize=512)
def nearest(given: str, known: tuple[str, ...]) -> str:
    """The known name that takes the fewest changes of letters to come to, if that is few of them; else ""."""
    if not 1 <= len(given) <= _LONGEST:
        return ""
    wanted = _folded(given)
    letters = _letters(wanted)
    best, least = "", 1 + max(1, len(wanted) // 4)
    # A change touches two letters at most: most names are ruled out by that, and of the others a few are looked at.
    likely = sorted(
        (differ, name, folded)
        for name, folded, others in _looked_at(known)
        if abs(len(folded) - len(wanted)) < least and (differ := (letters ^ others).bit_count()) <= 2 * (least - 1)
    )
    for _, name, folded in likely[:_FEW]:
        changes = 0 if folded == wanted else _changes(wanted, folded, least)
        if changes < least:
            best, least = name, changes
            if not changes:
                break
    return best


@lru_cache(maxsize=64)
def _looked_at(known: tuple[str, ...]) -> tuple[tuple[str, str, int], ...]:
    made = [(name, folded := _folded(name), _letters(folded)) for name in known]
    # A name is often meant by what stands before its unit: weight for weight_kg.
    bare = [(name, _folded(name.rpartition("_")[0])) for name in known if "_" in name.strip("_")]
    return (*made, *((name, folded, _letters(folded)) for name, folded in bare))


def _letters(text: str) -> int:
    """Which letters a text has, and which twice, as the bits of a number."""
    bits = 0
    for letter in text:
        bit = 1 << ord(letter) % 61
        bits |= bit << 61 if bits & bit else bit
    return bits


def _folded(name: str) -> str:
    return name.replace("_", "").replace("-", "").lower()


def _changes(one: str, two: str, most: int) -> int:
    """How many letters must be put in, taken out, changed, or swapped with their neighbour; at most `most`."""
    before: list[int] = []
    row = list(range(len(two) + 1))
    for at, letter in enumerate(one, 1):
        earlier, before, row = before, row, [at]
        low, high = max(1, at - most), min(len(two), at + most)
        row += [most] * (low - 1)
        for to in range(low, high + 1):
            other = two[to - 1]
            least = min(before[to] + 1, row[to - 1] + 1, before[to - 1] + (letter != other))
            if at > 1 and to > 1 and letter == two[to - 2] and one[at - 2] == other:
                least = min(least, earlier[to - 2] + 1)
            row.append(least)
        row += [most] * (len(two) - high)
        if min(row) >= most:
            return most
    return row[-1]
