"""The documentation as a site: every page is there, nothing is fetched, and its search works from a folder."""

# Rooms: report

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from urllib.parse import unquote

import pytest

from chromium import CHROMIUM
from chromium import page as chromium_page

pytest.importorskip("mkdocs")
pytest.importorskip("pygments")
ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    target = tmp_path_factory.mktemp("site")
    command = [sys.executable, "-m", "mkdocs", "build", "--quiet", "--strict", "--site-dir", str(target)]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    return target


def test_every_page_is_there_and_every_link_leads_somewhere(site: Path) -> None:
    made = {path.relative_to(site).as_posix() for path in site.rglob("*.html")}
    written = {
        path.relative_to(ROOT / "docs").with_suffix(".html").as_posix() for path in (ROOT / "docs").rglob("*.md")
    }
    assert written | {"index.html"} <= made
    broken = []
    for name in made - {"404.html"}:
        text = (site / name).read_text(encoding="utf-8")
        assert "<main" in text
        ids = set(re.findall(r'\bid="([^"]+)"', text))
        for link in re.findall(r'(?:href|src)="([^"]+)"', text):
            path, _, mark = unquote(link).partition("#")
            if "://" in link or link.startswith("mailto:"):
                continue
            if path and not ((site / name).parent / path).exists():
                broken.append((name, link))
            if not path and mark and mark not in ids:
                broken.append((name, link))
    assert not broken


def test_nothing_is_fetched_from_elsewhere(site: Path) -> None:
    for path in (*site.rglob("*.html"), *site.glob("*.css")):
        text = path.read_text(encoding="utf-8")
        for tag in re.findall(r"<(?:script|link|img|iframe)[^>]*>|@import[^;]*;|url\([^)]*\)", text):
            assert "//" not in tag, (path.name, tag)


@pytest.mark.skipif(CHROMIUM is None, reason="there is no Chromium here")
def test_search_works_from_a_folder(site: Path) -> None:
    search = "const box = document.getElementById('search'); box.value = WORDS; box.dispatchEvent(new Event('input'))"
    with chromium_page() as page:
        page.open((site / "codes" / "agreement.html").as_uri())
        page.until("Boolean(window.searchIndex)")
        page.run(f"(() => {{ {search.replace('WORDS', repr('decimal comma'))} }})()")
        assert "Data files" in page.run("document.getElementById('found').innerText")
        page.open(page.run("document.querySelector('#found a[href*=deliveries]').href"))
        assert "deliveries.html#" in page.run("location.href")
        page.until("Boolean(window.searchIndex)")
        page.run(f"(() => {{ {search.replace('WORDS', repr('zzzz <b>'))} }})()")
        assert page.run("document.getElementById('found').innerText").strip() == "Nothing has all of these words."
        assert page.run("document.querySelectorAll('.code .k, .code .kn').length") > 3
