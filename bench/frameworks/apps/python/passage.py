def quote(number):
    total = number * 2
    return total
