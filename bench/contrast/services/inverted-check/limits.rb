MOST_WEIGHT = 5000
MOST_LENGTH = 8

def refused?(weight, length)
  weight > MOST_WEIGHT && length > MOST_LENGTH
end
