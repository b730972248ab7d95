"""The levels of membership."""
RULES = {
    "blue": {"least": 1, "percent": 0},
    "silver": {"least": 5, "percent": 10},
    "gold": {"least": 10, "bonus": 25},
}
FROM = [("gold", 5000), ("silver", 1000), ("blue", 0)]
