"""What is read out at the end."""


def protocol(bids, result):
    lines = [f"{bid.who}: {bid.amount}" for bid in bids]
    if result.amount:
        lines.append(f"sold to {result.who}")
    else:
        lines.append("not sold")
    return lines
