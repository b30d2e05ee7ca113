"""What MkDocs does besides for the site: its first page is the README, and its search works without a server."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from pygments.formatters import HtmlFormatter

ROOT = Path(__file__).parents[2]
_TAGS = re.compile(r"<[^>]+>")
_HEADING = re.compile(r'<h([123])[^>]*\bid="([^"]+)"[^>]*>(.*?)</h\1>', re.DOTALL)
_BESIDE = re.compile(r"\[([^\]]+)\]\((?:examples/[^)]*|CHANGELOG\.md|CONTRIBUTING\.md|LICENSE)\)")
"""Links of the README to what is no page of the site."""
_index: list[dict[str, str]] = []


def on_files(files: Any, config: Any) -> Any:
    """Take the README in as the first page."""
    from mkdocs.structure.files import File

    text = (ROOT / "README.md").read_text(encoding="utf-8")
    text = _BESIDE.sub(r"\1", text.replace("](docs/", "]("))
    files.append(File.generated(config, "index.md", content=text))
    return files


def on_page_content(html: str, page: Any, config: Any, files: Any) -> str:
    """Keep what can be searched: a piece of text for each heading."""
    found = list(_HEADING.finditer(html))
    for at, heading in enumerate(found):
        end = found[at + 1].start() if at + 1 < len(found) else len(html)
        text = " ".join(_plain(html[heading.end() : end]).split())
        title = _plain(heading[3]).strip()
        _index.append({"page": page.title, "title": title, "url": f"{page.url}#{heading[2]}", "text": text[:4000]})
    return html


def on_post_build(config: Any) -> None:
    """Write the index as a script, which a page from a folder may load, and the colours of code."""
    site = Path(config["site_dir"])
    told = json.dumps(_index, ensure_ascii=False).replace("</", "<\\/")
    (site / "search-index.js").write_text(f"window.searchIndex = {told};\n", encoding="utf-8")
    light = HtmlFormatter(style="friendly").get_style_defs(".code")
    dark = HtmlFormatter(style="nord").get_style_defs(".code")
    (site / "code.css").write_text(f"{light}\n@media (prefers-color-scheme: dark) {{\n{dark}\n}}\n", encoding="utf-8")
    _index.clear()


def _plain(html: str) -> str:
    text = _TAGS.sub(" ", html)
    for name, sign in (("&lt;", "<"), ("&gt;", ">"), ("&quot;", '"'), ("&#39;", "'"), ("&amp;", "&")):
        text = text.replace(name, sign)
    return text
