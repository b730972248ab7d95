# frozen_string_literal: true

require 'date'

# Passes that were sold.
PASSES = {
  'P1' => { kind: :adult, until: Date.new(2026, 4, 30) },
  'P2' => { kind: :senior, until: Date.new(2026, 4, 15) }
}.freeze
PRICES = { adult: 280, senior: 190 }.freeze
LATE = 15

def renewal_price(pass, state)
  price = PRICES.fetch(pass[:kind])
  case state
  when 'expired'
    price + LATE
  when 'ends soon'
    price - 10
  else
    price
  end
end

def next_start(pass, today)
  day = pass[:until] + 1
  day < today ? today : day
end
