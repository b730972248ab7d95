"""Codes that were given out."""
CODES = {
    "SPRING": {"share": 0.8, "least": 1},
    "FAMILY": {"share": 0.7, "least": 3},
    "CREW": {"share": 0.5, "least": 1},
}
