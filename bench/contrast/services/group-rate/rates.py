GROUP = 4
RATES = {"adult": 1200, "child": 600, "dog": 300}


def rate_of(kind):
    return RATES.get(kind, RATES["adult"])
