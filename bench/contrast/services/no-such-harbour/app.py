from harbours import depth_of


def handle(path, body):
    name = body.get("harbour", "")
    draught = body.get("draught", 2)
    depth = depth_of(name)
    clearance = depth - draught
    return {"clearance": clearance, "open": clearance > 1}
