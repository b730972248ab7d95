"""The crew, as the office knows them."""
CREW = {
    "ada": {"name": "Ada Quill", "rate": 21.5, "band": "b"},
    "bo": {"name": "Bo Larch", "rate": 17.0, "band": "a"},
    "cy": {"name": "Cy Marram", "rate": 18.25, "band": "a"},
}


def find(who):
    return CREW.get(who)
