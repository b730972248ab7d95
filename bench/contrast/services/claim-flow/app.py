"""Claims for what was lost or broken on board: where each stands, and what is to be paid."""
from history import replay
from letters import letter_for
from money import owed


def handle(path, body):
    if path != "/claims":
        return {"error": "not found"}
    events = body.get("events") or []
    if not events or events[0] != "opened":
        return {"error": "a claim begins by being opened"}
    claim = {"id": body["claim"], "amount": body.get("amount", 50)}
    trace = replay(events)
    state = trace[-1]
    answer = {
        "id": claim["id"],
        "state": state.name,
        "is_over": state.is_final,
        "owed": owed(claim, state, len(trace)),
        "letter": letter_for(state.name),
    }
    if body.get("history"):
        answer["history"] = [each.name for each in trace]
    return answer
