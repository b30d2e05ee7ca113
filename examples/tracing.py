"""Each request of an API as a span and a counter of OpenTelemetry: its endpoint, its end, its faults, never a value.

    python examples/tracing.py

Needs `opentelemetry-sdk`; a service of yours sets the exporter up, and takes `observe` alone.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Annotated

from opentelemetry import metrics, trace
from opentelemetry.trace import SpanKind, Status, StatusCode

from dutiful_gate import it
from dutiful_gate.testing import in_process
from dutiful_gate.web import Answering, Api, Endpoint, Seen

tracer = trace.get_tracer("harbour")
faults = metrics.get_meter("harbour").create_counter(
    "request.faults", description="Faults of requests, by place and code"
)


def observe(seen: Seen) -> None:
    """One request that is answered: a span of the time that it took, named as OpenTelemetry names those of HTTP."""
    path = seen.endpoint.path.text if seen.endpoint else ""
    ended = time.time_ns()
    span = tracer.start_span(
        f"{seen.method} {path}".strip(), kind=SpanKind.SERVER, start_time=ended - int(seen.seconds * 1e9)
    )
    span.set_attribute("http.request.method", seen.method)
    if path:
        span.set_attribute("http.route", path)
    if seen.status is not None:
        span.set_attribute("http.response.status_code", seen.status)
    if seen.status is None or seen.status >= 500:
        span.set_status(Status(StatusCode.ERROR))
    span.set_attribute("request.faults", [f"{pointer} {code}" for pointer, code in seen.faults])
    span.end(ended)
    for pointer, code in seen.faults:
        faults.add(1, {"http.route": path, "place": pointer, "code": code})


@dataclass
class Crate:
    contents: Annotated[str, it.length >= 2]


@dataclass
class FileCrate:
    body: Crate


FILED = Answering(201, Crate)
file_one = Endpoint("POST", "/crates", FileCrate, FILED)
api = Api("Tern Sound crates", "1.0", [file_one.by(lambda sent: sent.body)], observe=observe)


def main() -> None:
    """Show the spans of two requests."""
    from opentelemetry.sdk.trace import TracerProvider
    from opentelemetry.sdk.trace.export import SimpleSpanProcessor
    from opentelemetry.sdk.trace.export.in_memory_span_exporter import InMemorySpanExporter

    spans, provider = InMemorySpanExporter(), TracerProvider()
    provider.add_span_processor(SimpleSpanProcessor(spans))
    trace.set_tracer_provider(provider)
    ask = in_process(api)
    for contents in ("coiled rope", "x"):
        ask("POST", "/crates", json={"contents": contents})
    for span in spans.get_finished_spans():
        told = dict(span.attributes or {})
        print(span.name, told["http.response.status_code"], told["request.faults"])


if __name__ == "__main__":
    main()
