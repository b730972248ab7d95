SHARES = {"none": 0, "quarter": 0.25, "half": 0.5, "full": 1}


def compensation(paid, level):
    share = SHARES[level]
    amount = paid * share
    return amount


def rounded(amount):
    whole = int(amount)
    return whole
