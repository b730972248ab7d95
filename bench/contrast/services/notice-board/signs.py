"""The sign: how a text comes to rows."""
WIDE = 20
NARROW = 12


def size_of(is_big):
    return NARROW if is_big else WIDE


class Sign:
    def __init__(self, width):
        self.width = width

    def rows(self, text):
        width = self.width
        rows = []
        at = 0
        while at < len(text):
            row = text.encode("utf-8")[at : at + width]
            rows.append(row.decode("utf-8", "replace").strip())
            at += width
        return rows

    def seconds(self, rows):
        return max(4, 2 * len(rows))
