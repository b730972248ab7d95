from shares import split
from receipts import receipt


def handle(path, body):
    shares = split(body["total"], body["people"])
    paid = receipt(shares)
    return {"shares": shares, "paid": paid, "exact": paid == body["total"]}
