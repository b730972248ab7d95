from tables import discount_of


def handle(_path, body):
    total = 0
    for kind in body["passengers"]:
        single = 20
        leg = single
        if body.get("back"):
            discount = discount_of(kind)
            leg = single * (1 - discount)
        total = total + leg
    return {"total": total}
