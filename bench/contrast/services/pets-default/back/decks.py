def seat_for(boat, window, animals):
    deck = "open" if animals > 1 else "saloon"
    row = 12 if boat == "Kestrel" else 5
    letter = "A" if window else "C"
    return f"{deck} {row}{letter}"
