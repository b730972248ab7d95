"""What one seat costs."""
from tables import BASE, KINDS, RETURN_FACTOR

_kept = {}


def reckon(route, kind, is_return):
    base = BASE[route]
    fare = base * KINDS[kind]
    if is_return:
        fare = fare * RETURN_FACTOR
    return round(fare, 2)


def fare_for(route, kind, is_return):
    key = (route, kind)
    if key in _kept:
        return _kept[key]
    fare = reckon(route, kind, is_return)
    _kept[key] = fare
    return fare
