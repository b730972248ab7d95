# What a letter costs.
module Stamps
  STEPS = { 30 => 90, 50 => 130 }.freeze

  def self.for(weight, express: false)
    _most, cents = STEPS.find { |most, _cents| weight <= most }
    cents ||= 200
    cents += 150 if express
    cents
  end
end
