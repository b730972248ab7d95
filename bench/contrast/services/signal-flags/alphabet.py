"""Names of the flags."""
NAMES = {"A": "Alfa", "E": "Echo", "H": "Hotel", "L": "Lima", "O": "Oscar", "P": "Papa", "S": "Sierra", "T": "Tango"}


def spell(text):
    flags = []
    for letter in text:
        if letter == " ":
            continue
        flags.append(NAMES.get(letter, letter))
    return flags
