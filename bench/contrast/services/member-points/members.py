"""Who is a member."""
from levels import FROM

MEMBERS = {
    "m1": {"name": "Ada Quill", "balance": 910, "lifetime": 7200},
    "m2": {"name": "Bo Larch", "balance": 340, "lifetime": 1800, "held": 40},
    "m3": {"name": "Cy Marram", "balance": 12, "lifetime": 12},
    "m4": {"name": "Dot Fell", "balance": 0, "lifetime": 0},
    "m5": {"name": "Em Sorrel", "balance": 2100, "lifetime": 9100},
}


def find(number):
    return MEMBERS.get(number)


def level_of(member):
    for name, least in FROM:
        if member["lifetime"] >= least:
            return name
    return "blue"
