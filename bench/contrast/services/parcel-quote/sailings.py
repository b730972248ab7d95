"""Which sailing takes freight."""
FREIGHT = {"Tarrin": ["06:40", "15:10"], "Skerrow": ["07:30"]}


def next_for_freight(port, weight):
    times = FREIGHT[port]
    needs_van = weight > 10
    at = times[-1] if needs_van else times[0]
    return {"at": at, "needs_van": needs_van}
