# frozen_string_literal: true

# What a berth costs.
class Tariff
  POWER = 3

  def initialize(berth, nights)
    @berth = berth
    @nights = nights
  end

  def a_night
    @berth.price
  end

  def total(with_power)
    sum = a_night * @nights
    sum += POWER * @nights if with_power
    sum
  end
end
