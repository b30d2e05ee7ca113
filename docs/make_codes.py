"""Makes `docs/codes.md` and `docs/codes/*.md`, a page for each code of a fault: `make reference`."""

from __future__ import annotations

from pathlib import Path

from dutiful_gate.report.codes import CODES

HERE = Path(__file__).parent


def pages() -> dict[str, str]:
    """The pages by their names below `docs`."""
    lines = ["# Codes of faults", "", "What is wrong in a word; `dutiful explain CODE` prints its page.", ""]
    lines += ["| code | what is wrong |", "|---|---|"]
    lines += [
        f"| [`{code}`](codes/{code}.md) | {told.means.partition('. ')[0].rstrip('.')} |" for code, told in CODES.items()
    ]
    made = {"codes.md": "\n".join(lines) + "\n"}
    for code, told in CODES.items():
        made[f"codes/{code}.md"] = (
            f"# `{code}`\n\n{told.means}\n\n```\n{told.words}\n```\n\n## How it comes\n\n{told.comes}\n\n"
            f"## How to mend it\n\n{told.mend}\n\n## It belongs to\n\n{told.rules}\n"
        )
    return made


if __name__ == "__main__":
    (HERE / "codes").mkdir(exist_ok=True)
    for name, text in pages().items():
        (HERE / name).write_text(text, encoding="utf-8")
    print(f"{len(CODES)} codes")
