from scales import weight_of


def handle(path, body):
    pieces = body.get("pieces", [])
    total = 0
    for piece in pieces:
        total += weight_of(piece)
    fee = fee_for(total)
    return {"weight": total, "fee": fee}


def fee_for(total):
    if total <= 20:
        return 0
    return int((total - 20) * 3)
