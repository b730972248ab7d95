from clock import local_minutes


def handle(path, body):
    month = body["month"]
    hour, minute = (int(part) for part in body["at"].split(":"))
    sent = hour * 60 + minute
    local = local_minutes(sent, month)
    late = local > 22 * 60
    fee = 5 if late else 0
    return {"local": local, "fee": fee}
