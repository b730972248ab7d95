"""What a claim is worth while it is not over."""
FEE = 5


def owed(claim, state, steps):
    amount = claim["amount"]
    if state.is_final:
        return 0
    if state.name == "refused":
        return 0
    if steps > 4:
        amount += FEE
    return amount
