def split(total, people):
    share = round(total / people, 2)
    shares = []
    for _number in range(people):
        shares.append(share)
    return shares
