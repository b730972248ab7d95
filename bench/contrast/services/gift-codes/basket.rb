# frozen_string_literal: true

# What is bought.
class Basket
  def initialize(sum, guests)
    @sum = sum
    @guests = guests
    @off = 0
  end

  def take_off(value)
    @off += value
  end

  def to_pay
    [@sum - @off, 0].max
  end

  def each_pays
    (to_pay.to_f / @guests).round(2)
  end
end
