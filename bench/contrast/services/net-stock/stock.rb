# frozen_string_literal: true

# What there is.
class Stock
  ITEMS = {
    'large' => { price: 45, weight: 9 },
    'medium' => { price: 30, weight: 6 },
    'smal' => { price: 18, weight: 3 }
  }.freeze
  USUAL = { price: 30, weight: 6 }.freeze

  def item(size)
    ITEMS.fetch(size, USUAL)
  end

  def sizes
    ITEMS.keys
  end
end
