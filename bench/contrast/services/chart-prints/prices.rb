# What printing costs.
module Prices
  SHEET = 6
  FOLD = 1.5

  def self.of(sheets, folded: false)
    price = sheets * SHEET
    price -= 2 if sheets >= 3
    price += sheets * FOLD if folded
    price
  end
end
