"""What is written to people."""


def letter(days, fee):
    if days == 0:
        return "Thank you."
    text = f"{days} days late"
    if fee > 0:
        text += f", {fee:.2f} to pay"
    return text + "."
