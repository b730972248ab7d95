# frozen_string_literal: true

# What the club adds: a tenth, but not more than a euro.
MOST = 100

def club_bonus(cents)
  bonus = cents / 10
  bonus > MOST ? MOST : bonus
end
