"""Tickets of this week."""
ROWS = [
    {"id": 1, "name": "Ada Quill", "port": "Tarrin", "day": 2},
    {"id": 2, "name": "Bo Larch", "port": "Skerrow", "day": 1},
    {"id": 3, "name": "Ada Quill", "port": "Skerrow", "day": 4},
    {"id": 4, "name": "Cy Marram", "port": "Tarrin", "day": 3},
    {"id": 5, "name": "Bo Larch", "port": "Tarrin", "day": 5},
]


def rows():
    return [dict(row) for row in ROWS]
