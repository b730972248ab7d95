# frozen_string_literal: true

# Dues by length.
class Dues
  RATES = [[6, 10], [10, 14], [99, 21]].freeze

  def for(boat)
    rate(boat) * boat.length
  end

  private

  def rate(boat)
    @rate ||= RATES.find { |most, _| boat.length <= most }.last
  end
end
