"""Until when one may check in for a sailing."""
from datetime import datetime

from closing import closes_before
from sailings import SAILINGS, kind_of


def handle(path, body):
    sailing = SAILINGS.get(body["sailing"])
    if sailing is None:
        return {"open": False, "why": "no such sailing"}
    now = datetime.fromisoformat(body["now"])
    kind = kind_of(body.get("vehicle"))
    closes = sailing["leaves"] - closes_before(kind, sailing["international"])
    is_open = now <= closes
    left = int((closes - now).total_seconds() // 60)
    answer = {"open": is_open, "closes": closes.strftime("%H:%M"), "kind": kind}
    if is_open:
        answer["left"] = left
    elif left > -10:
        answer["why"] = "just closed"
    else:
        answer["why"] = "closed"
    return answer
