"""A small HTTP service (Flask): one POST that answers 201, or 422 with problem details (RFC 9457).

Run it: `flask --app examples/service.py run`, and then

    curl -i localhost:5000/bookings -H 'Content-Type: application/json' -d '{"origin": "QLP"}'
"""

from flask import Flask, Response, jsonify, request

from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.problems import CONTENT_TYPE

app = Flask(__name__)
kept: list[Booking] = []


@app.post("/bookings")
def book() -> tuple[Response, int]:
    verdict = bookings.examine_json(request.get_data())
    if not verdict:
        answer = jsonify(verdict.problem(instance=request.path))
        answer.content_type = CONTENT_TYPE
        return answer, 422
    booking = verdict.value
    kept.append(booking)
    return jsonify(number=len(kept), origin=booking.origin, destination=booking.destination), 201


@app.get("/bookings/schema")
def document() -> Response:
    answer = jsonify(bookings.schema())
    answer.content_type = "application/schema+json"
    return answer
