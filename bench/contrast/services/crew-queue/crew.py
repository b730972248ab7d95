CREW = [
    {"name": "Ada", "role": "deck", "hours": 31, "boats": ["Kestrel", "Petrel"], "off": [2]},
    {"name": "Ib", "role": "deck", "hours": 12, "boats": ["Petrel"], "off": [1]},
    {"name": "Una", "role": "deck", "hours": 24, "boats": ["Kestrel"], "off": []},
    {"name": "Ola", "role": "engine", "hours": 18, "boats": ["Kestrel"], "off": [5]},
    {"name": "Per", "role": "engine", "hours": 18, "boats": ["Petrel"], "off": []},
]


def hours_of(person, day):
    hours = person["hours"]
    if day > 5:
        hours += 4
    return hours
