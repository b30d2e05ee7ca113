"""What each code of a fault means, how it comes, and how it is mended: what `dutiful explain` and the docs tell."""

from __future__ import annotations

from typing import Final, NamedTuple


class Explained(NamedTuple):
    """A code of faults, for people.

    `means`  what is wrong
    `comes`  how it usually comes
    `mend`   what a sender, or whoever declares, does about it
    `rules`  the words of declarations that it belongs to
    `words`  a message of this code
    """

    means: str
    comes: str
    mend: str
    rules: str
    words: str


CODES: Final[dict[str, Explained]] = {
    "absent": Explained(
        "A field that must be there is not, or text that should hold something is empty.",
        "A sender left the key out, or wrote it in another way; a row of CSV ends too early; a form's field "
        "was not filled in.",
        "Send the field. Where it may be left out, give it a default, or say NotRequired in a typed dict; "
        "where it comes under another name, also_named(...). Null is not absent: X | None lets null in, and "
        "does not make a field optional.",
        "fields without a default, needs(...), at_least_one(...)",
        "/origin  needs a value; none came",
    ),
    "unknown": Explained(
        "A key that nobody declared, where unknown keys are refused.",
        "A misspelt key, or a newer sender. The message names the key that was probably meant.",
        'Send only declared keys. To let others pass, leave out unknown="refuse"; to keep them, declare a '
        "dict field marked `rest`.",
        'unknown="refuse", @obeys(unknown="refuse")',
        "/crats  is not a known key; did you mean 'crates'?",
    ),
    "kind": Explained(
        "Another kind of value than the declared one: text where a number is needed, a list where a record is.",
        "Numbers sent as text, true sent as 1, one item sent where a list is wanted.",
        "Send the kind that the document says. Where text may stand for numbers, mark the field `lenient`, or"
        " read the whole source as text: Gate(Booking, Source.TEXT).",
        "every type",
        "/crates/0/weight_kg  needs a number; got the text '48.5'",
    ),
    "reading": Explained(
        "The right kind, but it cannot be read: a date that is none, a number in other digits, text that is no JSON.",
        "Dates in a form of one's own, 2026-02-30, decimal commas, a broken encoding, a text that ends in the middle.",
        'Send the form that the message shows. For own forms of dates declare written_as("%d.%m.%Y"); in '
        "deliveries say --dates and --decimal-comma.",
        "date-times, dates, numbers from text, raw JSON, CSV, workbooks",
        "/departs  needs a date-time with an offset (RFC 3339), such as 2026-05-04T09:30:00Z; got '2026-05-04 09:30'",
    ),
    "floor": Explained(
        "A number, a date or the like below its lowest bound.",
        "A unit mixed up, a sign lost, a date in the past.",
        "Send a value at or above the bound; a digest of a delivery tells which bound would have let all pass.",
        "it > 0, it >= 0, it.between(1, 40), it > now",
        "/weight_kg  needs a number above 0; got -4",
    ),
    "ceiling": Explained(
        "A number, a date or the like above its highest bound.",
        "Grams sent as kilograms, a year with a digit too many.",
        "Send a value at or below the bound; a digest of a delivery tells which bound would have let all pass.",
        "it < 5, it <= 26_000, it.between(1, 40), it < today",
        "/weight_kg  needs a number of at most 26000; got 40000",
    ),
    "step": Explained(
        "A number that is no whole multiple of its step. Decimals are judged exactly: 0.3 is a multiple of 0.1.",
        "Prices with a third digit behind the point, lengths that were not rounded.",
        "Round to the step before sending.",
        "it.multiple_of(0.5)",
        "/length_m  needs a multiple of 0.5; got 1.7",
    ),
    "length": Explained(
        "Text, bytes or digits that are too short or too long. Characters are counted, not bytes.",
        "A field that was cut off elsewhere, a whole text pasted into a name.",
        "Send text within the bounds. Blanks around it count, unless the declaration says trimmed.",
        "it.length >= 2, it.length.between(2, 80)",
        "/contents  needs 2 to 80 characters; got 1",
    ),
    "count": Explained(
        "A list, set or dict with too few or too many items; a row with more cells than headings.",
        "An empty list where at least one is needed; a separator inside of a cell that has no quotes.",
        "Send as many items as the declaration says.",
        "it.length.between(1, 50) beside a list, tuples of a fixed length, CSV",
        "/crates  needs 1 to 50 items; got 0",
    ),
    "pattern": Explained(
        "Text that does not match the pattern of its field. A pattern is for the whole text, unless it is it.has(...).",
        "Another case, blanks around it, a prefix that is missing.",
        "Send text of that form. Steps such as trimmed and uppered, beside the type, let the gate mend what "
        "is only sloppy.",
        "it.matches(...), it.has(...), it.starts_with(...), it.ends_with(...), it.contains(...)",
        "/origin  needs text that matches [A-Z]{3}; got 'Quillport'",
    ),
    "format": Explained(
        "Text that is not of its format: an address, a URI, a date, as its standard says.",
        "A name where an e-mail address is needed, a URI without a scheme.",
        "Send text of the format that the message shows.",
        "Email, WebUrl, it.of_format(...), a document's `format`",
        "/contact  needs an email address, such as name@mail.example; got 'desk at quillport'",
    ),
    "choice": Explained(
        "A value that is none of the few that are allowed.",
        "Another spelling or case, a value that is newer than the declaration.",
        "Send one of those that the message lists.",
        "Literal[...], an Enum, it.one_of(...)",
        "/priority  needs one of standard, urgent; got 'fast'",
    ),
    "branch": Explained(
        "None of a union's options fits; or the key that tells which names none of them.",
        "A tag that is missing or misspelt; a value that is close to two options and right for neither.",
        "Send one of the options. Give records of a union a tag, a Literal field of their own: then faults "
        "are those of one option.",
        "A | B, tagged_by(...)",
        "/vessel  needs one of ferry, barge at kind; got 'boat'",
    ),
    "repeat": Explained(
        "Something comes again that may come once: a key in JSON, a parameter of a query, an item of a set, a"
        " record of a delivery.",
        "A form that was sent twice in one, a list that was joined from two.",
        "Send it once. Where several values are meant, declare a list.",
        "raw JSON, Source.TEXT, sets, it.distinct, --distinct-by",
        "/priority  needs to come once; got it again",
    ),
    "agreement": Explained(
        "Fields that do not agree with each other, or that must, or must not, be there together.",
        "An arrival before its departure, a refund without its reason.",
        "Look at all fields that the message names.",
        "@obeys(this.arrives > this.departs), needs(...), when(...), exactly_one(...)",
        "/arrives  needs a value later than departs; got '2026-05-03T22:00:00Z'",
    ),
    "check": Explained(
        "What a function of the declaration's own said.",
        "A rule that only the program knows: a berth that is never used, a code that is not on file.",
        "The message is that of the function; ask whoever declared it.",
        "holds(function), then(function), @obeys(function), __post_init__",
        "(the whole)  berth 13 is never used",
    ),
    "depth": Explained(
        "Data nested deeper than the gate reads, or a value that holds itself.",
        "A tree without end, or an attack.",
        "Send less deep data. Limits(depth=...) lets deeper pass, within what the interpreter can do.",
        "Limits(depth=64)",
        "/a/a/a  needs data nested at most 64 deep; got deeper",
    ),
    "size": Explained(
        "Over a limit: too long a text, a number of too many digits, too large a list, a file that is too large.",
        "A field used for a file, a line that was never ended, an attack.",
        "Send less at once. Limits(bytes=..., items=..., digits=...) raises what the gate reads.",
        "Limits(bytes=..., items=..., digits=...), uploads, lines of deliveries",
        "(the whole)  needs a line of at most 8388608 bytes; got more",
    ),
}
