"""The gates and their lanes."""
from dataclasses import dataclass


@dataclass
class Gate:
    name: str
    lanes: int


GATES = [Gate("A", 2), Gate("B", 1), Gate("C", 3)]


def gate_named(name):
    for gate in GATES:
        if gate.name == name:
            return gate
    return None
