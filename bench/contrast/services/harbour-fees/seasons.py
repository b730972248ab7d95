def season_of(month):
    if 6 <= month <= 8:
        return "high"
    return "low"
