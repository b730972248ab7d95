"""The kitchen: how long it takes, and what is left."""
from menu import MENU

STOCK = {"soup": 20, "stew": 8, "tea": 60}


def ready_at(counts):
    longest = 0
    for name, count in counts.items():
        minutes = MENU[name]["minutes"] + count // 4
        longest = max(longest, minutes)
    return longest


def stock_after(counts):
    left = {}
    for name, count in counts.items():
        left[name] = STOCK[name] - count
    return left
