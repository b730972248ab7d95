"""States of a claim, and which event leads where."""
from dataclasses import dataclass, field


@dataclass(frozen=True)
class State:
    name: str
    is_final: bool = False
    ways: dict = field(default_factory=dict)


STATES = {
    "new": State("new", ways={"opened": "open"}),
    "open": State(
        "open",
        ways={
            "checked": "decided",
            "withdrawn": "closed",
        },
    ),
    "decided": State(
        "decided",
        ways={
            "paid": "closed",
            "refused": "refused",
        },
    ),
    "refused": State(
        "refused",
        ways={
            "appealed": "closed",
            "accepted": "closed",
        },
    ),
    "closed": State("closed", is_final=True),
}


def after(state, event):
    target = state.ways.get(event)
    if target is None:
        return state
    return STATES[target]
