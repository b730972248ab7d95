"""What is paid besides the berth."""
POWER = 4.0
TAX = 1.2


def extras_of(body, nights):
    extras = {"tax": round(TAX * nights, 2)}
    if body.get("power"):
        extras["power"] = POWER * nights
    if body.get("late"):
        extras["late"] = 10.0
    return extras
