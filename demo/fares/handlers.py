"""The requests that the fares service answers, without a server: method, path and body in, status and JSON out."""

import json

from quotes import BadRequest, quote, read_trip


def answer(method, path, body):
    """(status, JSON object) for one request."""
    if method == "GET" and path == "/health":
        return 200, {"service": "fares", "ready": True}
    if path != "/quotes":
        return 404, {"error": "there is nothing at %s" % path}
    if method != "POST":
        return 405, {"error": "quotes are asked for with POST"}
    try:
        return 200, post_quote(json.loads(body or b"{}"))
    except (BadRequest, json.JSONDecodeError) as error:
        return 400, {"error": str(error)}


def post_quote(body):
    trip = read_trip(body)
    lines, total = quote(trip)
    return {
        "from": trip.start,
        "to": trip.end,
        "return": trip.back,
        "lines": [{"text": line.text, "amount": str(line.amount)} for line in lines],
        "total": str(total),
    }
