"""Every Python block in the README and the docs runs, in order, each file as one script."""

# Rooms: gates

from __future__ import annotations

import re
import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


WITH_CODE = [page for page in PAGES if "```python" in page.read_text()]


@pytest.mark.parametrize("page", WITH_CODE, ids=lambda page: page.name)
def test_blocks_run(
    page: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    text = page.read_text()
    blocks = re.findall(r"```python\n(.*?)```", text, re.S)
    script = tmp_path / f"{page.stem}_page.py"
    script.write_text("\n".join(blocks))
    runpy.run_path(str(script), run_name=page.stem)
    printed = capsys.readouterr().out
    shown = re.findall(r"```text\n(.*?)```", text, re.S)
    assert printed == "".join(shown), "what the page shows is what its code prints"


def test_the_reference_is_made_from_the_docstrings() -> None:
    made = runpy.run_path(str(ROOT / "docs" / "make_reference.py"))
    assert (ROOT / "docs" / "reference.md").read_text() == made["page"](), "make it anew: make reference"


def test_every_link_leads_somewhere() -> None:
    for page in [*PAGES, ROOT / "CONTRIBUTING.md", ROOT / "CHANGELOG.md"]:
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            assert (page.parent / target).exists(), f"{page.name} links to {target}"
