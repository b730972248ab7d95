WINTER = 60
SUMMER = 120


def local_minutes(sent, month):
    offset = offset_of(month)
    minutes = sent + offset
    return minutes % 1440


def offset_of(month):
    summer = 4 <= month <= 9
    if summer:
        return SUMMER
    return WINTER
