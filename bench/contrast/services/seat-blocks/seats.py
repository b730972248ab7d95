"""Rows of seats: letters from left to right, an aisle where there is a blank."""


def label(number, seat):
    return f"{number}{seat}"


def is_window(row, seat):
    return seat in (row[0], row[-1])


def block_in(row, number, party, taken):
    """The first seats of a row that are free and side by side, or None."""
    for start in range(len(row) - party):
        block = row[start:start + party]
        if " " in block:
            continue
        if any(label(number, seat) in taken for seat in block):
            continue
        return list(block)
    return None
