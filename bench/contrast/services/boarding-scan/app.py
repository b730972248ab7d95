"""Tickets that are scanned at a gate."""
from gates import Gate, gate_named
from scanner import scan_all
from tickets import describe


def handle(path, body):
    gate = gate_named(body.get("gate", ""))
    if gate is None:
        return {"ok": False, "why": "no such gate"}
    if "seen" in body:
        results = scan_all(body["tickets"], list(body["seen"]))
    else:
        results = scan_all(body["tickets"])
    return report(gate, results)


def report(gate: Gate, results):
    good = [each for each in results if each.ok]
    bad = [each for each in results if not each.ok]
    answer = {
        "ok": not bad,
        "gate": gate.name,
        "boarded": len(good),
        "people": [describe(each.ticket) for each in good],
    }
    if bad:
        answer["turned away"] = {each.ticket: each.why for each in bad}
    if len(good) > gate.lanes:
        answer["hint"] = "open another lane"
    answer["scans"] = results[-1].count if results else 0
    return answer
