"""Notices for the sign at the quay, which takes rows of some letters each."""
from archive import Archive
from signs import Sign, size_of

ARCHIVE = Archive()


def handle(path, body):
    if path != "/notices":
        return {"error": "unknown"}
    text = " ".join(body["text"].split())
    if not text:
        return {"error": "nothing to say"}
    sign = Sign(size_of(body.get("big", False)))
    rows = sign.rows(text)
    ARCHIVE.keep(body["from"], text)
    return {"rows": rows, "seconds": sign.seconds(rows), "from": ARCHIVE.name(body["from"])}
