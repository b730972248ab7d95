"""One scan after the other; a ticket is good once."""
from dataclasses import dataclass

from tickets import is_known


@dataclass
class Result:
    ticket: str
    ok: bool
    count: int
    why: str = ""


def scan_all(tickets, seen=[]):
    results = []
    for ticket in tickets:
        results.append(scan(ticket, seen))
    return results


def scan(ticket, seen):
    if not is_known(ticket):
        return Result(ticket, False, len(seen), "unknown")
    if ticket in seen:
        return Result(ticket, False, len(seen), "used before")
    seen.append(ticket)
    return Result(ticket, True, len(seen))
