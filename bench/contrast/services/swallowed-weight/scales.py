def weight_of(piece):
    text = piece.get("weight", "0")
    weight = 0
    try:
        weight = float(text)
    except ValueError:
        pass
    return weight
