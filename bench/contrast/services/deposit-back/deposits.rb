# frozen_string_literal: true

# What is paid back: for ten cups so much, for a bottle so much.
CUPS_OF_TEN = 250
BOTTLE = 15
COINS = [200, 100, 50, 20, 10, 5].freeze

def deposit_for(cups, bottles)
  cents = (cups / 10) * CUPS_OF_TEN
  cents += bottles * BOTTLE
  cents
end

def coins(cents)
  left = cents
  given = []
  COINS.each do |coin|
    while left >= coin
      given << coin
      left -= coin
    end
  end
  given
end
