"""Run by hand: requests made of the descriptions of many APIs, each through every adapter.

    python tests/describe_many.py 300 0

It says each answer that the description did not promise, with the seed that makes it again.
"""

from __future__ import annotations

import json
import sys
import warnings
from collections import Counter
from functools import cache
from pathlib import Path
from random import Random
from typing import Any

from any_api import Reply, clients
from any_described import Described, Sent, any_api
from dutiful_gate import DeclarationError, Gate
from dutiful_gate.web import description, flaws

SCHEMAS = Path(__file__).parent.parent.parent / "shared" / "conformance" / "openapi"


@cache
def rules_of(version: str) -> Any:
    """The gate of the OpenAPI Initiative's schema for descriptions; None where that is not on this machine."""
    if not SCHEMAS.exists():
        return None
    rules = json.loads((SCHEMAS / f"{version}.json").read_text())
    if version == "3.1":  # the schema wants an absolute URI where the standard's own examples have "#/components/..."
        rules["$defs"]["reference"]["properties"]["$ref"] = {"type": "string", "format": "uri-reference"}
    return Gate.from_schema(rules, formats="assert")


def wrong_of(seed: int, most: int = 40) -> tuple[list[str], Counter[str]]:
    """What a description and its API say differently; and how many requests were sent, by what was wrong with them."""
    counted: Counter[str] = Counter()
    told: list[str] = []
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            api, _ = any_api(seed)
        except DeclarationError:
            return [], counted
        described: Any = description(api)
        for version in ("3.1", "3.0"):
            written = description(api, version)  # type: ignore[arg-type]
            told += map(str, flaws(written))
            if (rules := rules_of(version)) is not None:
                told += map(str, rules.examine(written).faults)
        asks = clients(api)
        counted["apis"] = 1
        known = Described(described, seed)
        for number, sent in enumerate(known.requests(Random(seed), most)):
            name = list(asks)[number % len(asks)]
            reply = asks[name](sent.method, sent.url, **sent.words)
            counted["broken" if sent.broken else "sound"] += 1
            operation = described["paths"][sent.path][sent.method.lower()]
            unsaid = "Also holds" in operation.get("description", "")
            what = f"seed {seed} {name} {sent.method} {sent.url} {sent.words!r:.600} broken={sent.broken!r}: {reply.status} {reply.content[:400]!r}"
            if (
                reply.status >= 500
                or (sent.broken and reply.status < 400)
                or (not sent.broken and reply.status >= 400 and not unsaid)
            ):
                told.append(what)
            responses = operation["responses"]
            if not sent.broken and reply.status < 300 and "412" in responses:
                told += conditions_of(asks[name], sent, reply, what)
                counted["conditional"] += 2
            held = responses.get(str(reply.status)) or (responses["4XX"] if 400 <= reply.status < 500 else None)
            if held is None:
                told.append(f"undescribed status: {what}")
                continue
            if "$ref" in held:
                held = described["components"]["responses"][held["$ref"].rpartition("/")[2]]
            media = dict(reply.headers).get("content-type", "")
            if reply.content and sent.method != "HEAD":
                if media not in held.get("content", {}):
                    told.append(f"undescribed media {media}: {what}")
                elif media != "application/cbor":
                    schema = held["content"][media]["schema"]
                    if faults := known.gate(schema).examine(reply.json).faults:
                        told.append(f"answer not as described {faults[:3]}: {what}")
            for header, each in held.get("headers", {}).items():
                if each.get("required") and header not in dict(reply.headers):
                    told.append(f"header {header} lacks: {what}")
    return told, counted


def conditions_of(ask: Any, sent: Sent, reply: Reply, what: str) -> list[str]:
    """What is wrong with how a sound request is answered once it has conditions."""
    others = [pair for pair in sent.words["headers"] if pair[0] not in ("if-match", "if-none-match")]
    words = {**sent.words, "headers": [*others, ("if-match", '"none"')]}
    told = [] if ask(sent.method, sent.url, **words).status == 412 else [f"taken with another version: {what}"]
    tag = dict(reply.headers).get("etag")
    if (tag is not None) != (sent.method == "GET"):
        told.append(f"tag {tag}: {what}")
    if tag is not None:
        for header, status in (("if-none-match", 304), ("if-match", reply.status)):
            words = {**sent.words, "headers": [*others, (header, f'"none", {tag}')]}
            again = ask(sent.method, sent.url, **words)
            # What is shown may be another by now, then its tag is.
            if again.status != status and dict(again.headers).get("etag") == tag:
                told.append(f"{header} {tag} is answered {again.status}: {what}")
    return told


if __name__ == "__main__":
    many, first = (int(each) for each in [*sys.argv[1:], "300", "0"][:2])
    total: Counter[str] = Counter()
    for seed in range(first, first + many):
        told, counted = wrong_of(seed)
        total += counted
        for line in told:
            print(line, flush=True)
    print(dict(total))
