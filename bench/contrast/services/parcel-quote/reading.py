"""What people write into the form."""

DEFAULT_WEIGHT = 1.0


def read_weight(text):
    """Kilograms."""
    try:
        weight = float(text)
    except ValueError:
        return DEFAULT_WEIGHT
    if weight <= 0:
        raise LookupError("a parcel weighs something")
    return weight


def read_flag(value):
    if isinstance(value, str):
        return value.lower() in ("yes", "on", "true")
    return bool(value)
