"""What is taken off."""
BANDS = {"a": [(300, 0.0), (None, 0.2)], "b": [(200, 0.0), (800, 0.2), (None, 0.4)]}


def deduct(gross, band):
    left = gross
    low = 0
    taxes = 0.0
    for high, share in BANDS[band]:
        if high is None or gross < high:
            taxes += (gross - low) * share
            break
        taxes += (high - low) * share
        low = high
    taxes = round(taxes, 2)
    return round(left - taxes, 2), taxes
