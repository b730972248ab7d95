"""What there is to eat."""
MENU = {
    "soup": {"price": 4.5, "minutes": 5},
    "stew": {"price": 8.0, "minutes": 15},
    "tea": {"price": 1.8, "minutes": 2},
}
