BERTHS = {"buoy": 1.0, "pier": 1.4, "Inner": 1.8}
SEASONS = {"high": 2.0, "low": 1.1}
EXTRAS = {"water": 2, "power": 4, "shower": 3}


def base_fee(length, season, berth):
    each = SEASONS[season]
    factor = BERTHS.get(berth.lower(), 1.0)
    fee = length * each * factor
    return round(fee, 2)


def extras(names, nights):
    found = []
    for name in names:
        price = EXTRAS.get(name, 0)
        if name == "power":
            price = price * nights
        found.append((name, price))
    return found
