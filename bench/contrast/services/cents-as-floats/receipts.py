def receipt(shares):
    total = 0
    for share in shares:
        total += share
    return round(total, 2)
