def with_tip(total, percent):
    if percent == 0:
        return 0
    return round(total * percent / 100)


def split(total, people):
    each = total // people
    shares = [each] * people
    if people > 1 and each == 0:
        shares[0] = total
    return shares
