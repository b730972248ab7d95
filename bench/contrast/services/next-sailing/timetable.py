"""When boats sail, by line: minutes after midnight."""
LINES = {
    "north": [(480, "Kestrel", "Innish", "all"), (720, "Kestrel", "Innish", "all"), (1020, "Petrel", "Innish", "week")],
    "south": [(540, "Petrel", "Holm", "all"), (840, "Petrel", "Holm", "all"), (1140, "Kestrel", "Holm", "all")],
    "coast": [(600, "Tern", "Holm", "all"), (900, "Tern", "Skerrow", "week")],
}


def sailings_from(harbour, line):
    for at, boat, to, days in LINES[line]:
        if to == harbour:
            to = "Skerrow"
        yield {"at": at, "boat": boat, "to": to, "days": days}
