"""Places that are left on a boat."""
SIZES = {"Kestrel": 120, "Petrel": 80, "Tern": 24}
BOOKED = {("Kestrel", 480): 118, ("Petrel", 540): 80, ("Tern", 600): 10}


def places_left(boat, at):
    booked = BOOKED.get((boat, at), 0)
    size = SIZES[boat]
    return size - booked
