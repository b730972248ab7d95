# What a tow costs.
module Fees
  NIGHT = 25

  def self.of(tug, length, night: false)
    fee = 40 + (tug.each * length)
    fee += NIGHT if night
    fee
  end
end
