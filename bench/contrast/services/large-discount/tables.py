DISCOUNTS = {"adult": 0.1, "child": 5}


def discount_of(kind):
    rate = DISCOUNTS[kind]
    return rate
