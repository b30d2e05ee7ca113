"""Random expressions and texts, judged by our reader and by Node's RegExp, a real engine of ECMA-262."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Iterator, Sequence
from random import Random

from dutiful_gate.regex.from_ecma import NoPattern, read_ecma
from dutiful_gate.regex.search import ecma_search

NODE = shutil.which("node")
NO_NODE = "there is no Node on this machine: its RegExp is the engine to compare with"

_PROGRAM = """
const asked = JSON.parse(require("node:fs").readFileSync(0, "utf8"));
console.log(JSON.stringify(asked.map(([pattern, texts]) => {
  let made;
  try { made = new RegExp(pattern, "u"); } catch { return null; }
  return texts.map((text) => {
    const found = made.exec(text);
    // V8 also tries between the halves of a surrogate pair, where the standard has no place (22.2.7.2, step 12).
    if (found && found.index && text.codePointAt(found.index - 1) > 0xffff) return null;
    return found !== null;
  });
})));
"""
_LETTERS = "aaaabbbc"
_ONES = (
    r"\d", r"\D", r"\w", r"\W", r"\s", r"\S", ".", "[ab]", "[^a]", "[a-c]", r"[\d-]", r"[^\s_]", r"\p{L}", r"\P{Lu}",
    r"\p{Script=Greek}", r"\p{Emoji}", r"\p{scx=Deva}", r"[\p{Nd}x]", r"[^\P{Alphabetic}]", r"\u0061", r"\x62", r"\u{1f6a2}",
    r"\ud83d\udea2", r"\.", r"\/", r"\n", r"\t", r"\cJ", r"\0", "[]", "[^]", r"[\b]", r"[\-a]", "-", "é", "_",
)  # fmt: skip
_PLACES = ("^", "$", r"\b", r"\B")
_BROKEN = (
    "{", "}", "]", r"\_", r"\-", r"\a", r"\k", r"\k<x>", "(?", "(?<", "[b-a]", "a{2,1}", "**", "*", r"\p{Nope}", r"\p", r"\u{110000}",
    r"\c1", r"\01", r"[\d-z]", r"\9", "(?P<n>a)", "(?i:a)", "[", ")", "(", "|*", "(?=a)*", "(?<=a)+", r"\x1", r"\u12", "{1}", "a{,2}",
    r"[\B]", r"[\1]", r"\p{Greek}", r"\pL", r"\p{sc}", "(?#a)", r"\Z",
)  # fmt: skip
_QUANTIFIERS = ("*", "+", "?", "*?", "+?", "??", "{2}", "{1,2}", "{0,1}?", "{1,}", "{0}")
_TEXTS = "aaaaabbbbccA_1- .é\n\u2028αÅ٣\U0001f6a2\x00\t"


class Writer:
    """Writes one expression; `names` and `groups` are those it has by now."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.groups = 0
        self.names: list[str] = []

    def whole(self) -> str:
        made = self.choice(3)
        if self.random.random() < 0.08:
            at = self.random.randint(0, len(made))
            made = made[:at] + self.random.choice(_BROKEN) + made[at:]
        return made

    def choice(self, deep: int) -> str:
        return "|".join(self.row(deep) for _ in range(self.random.choice((1, 1, 1, 2, 3))))

    def row(self, deep: int) -> str:
        return "".join(self.term(deep) for _ in range(self.random.choice((0, 1, 1, 2, 2, 3, 4))))

    def term(self, deep: int) -> str:
        random = self.random
        kind = random.random()
        if kind < 0.1:
            return random.choice(_PLACES)
        if kind < 0.18 and deep:
            return f"({random.choice(('?=', '?!', '?<=', '?<!'))}{self.choice(deep - 1)})"
        atom = self.atom(deep, kind)
        return atom + random.choice(_QUANTIFIERS) if random.random() < 0.35 else atom

    def atom(self, deep: int, kind: float) -> str:
        random = self.random
        if kind < 0.5 and deep:
            opening = random.choice(("(", "(", "(?:", "(?<"))
            if opening == "(?:":
                return f"(?:{self.choice(deep - 1)})"
            self.groups += 1
            if opening == "(?<":
                name = f"n{len(self.names)}"
                self.names.append(name)
                opening = f"(?<{name}>"
            return f"{opening}{self.choice(deep - 1)})"
        if kind < 0.62 and self.groups:
            if self.names and random.random() < 0.4:
                return rf"\k<{random.choice(self.names)}>"
            return rf"(?:\{random.randint(1, self.groups)})"
        return random.choice(_LETTERS) if random.random() < 0.7 else random.choice(_ONES)


def expressions(seed: int, count: int) -> Iterator[tuple[str, list[str]]]:
    """Expressions, each with texts to look for it in."""
    random = Random(seed)
    for _ in range(count):
        pattern = Writer(random).whole()
        yield pattern, ["", *("".join(random.choices(_TEXTS, k=random.randint(1, 9))) for _ in range(11))]


def by_node(asked: Sequence[tuple[str, list[str]]]) -> list[list[bool | None] | None]:
    """For each text whether the expression is found in it, None where Node errs; None where it is no expression."""
    assert NODE is not None
    ran = subprocess.run([NODE, "-e", _PROGRAM], input=json.dumps(asked), stdout=subprocess.PIPE, text=True, check=True)
    return list(json.loads(ran.stdout))


def disagreements(asked: Sequence[tuple[str, list[str]]]) -> list[str]:
    """Where we differ from Node, told in a line each."""
    found = []
    for (pattern, texts), theirs in zip(asked, by_node(asked), strict=True):
        try:
            read_ecma(pattern, strict=True)
        except NoPattern as refused:
            if theirs is not None:
                found.append(f"{pattern!r} is an expression, and we refuse it: {refused}")
            continue
        if theirs is None:
            found.append(f"{pattern!r} is no expression, and we take it")
            continue
        search = ecma_search(pattern)
        for text, matches in zip(texts, theirs, strict=True):
            if matches is not None and (search(text) is not None) is not matches:
                found.append(f"{pattern!r} is {'found' if matches else 'not found'} in {text!r}, and we differ")
                break
    return found
