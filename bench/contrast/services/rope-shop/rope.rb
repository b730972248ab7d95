# frozen_string_literal: true

# A piece of rope.
class Rope
  attr_reader :metres, :millimetres

  def initialize(metres, millimetres)
    @metres = metres
    @millimetres = millimetres
  end

  def weight
    (metres * millimetres * 0.01).round(1)
  end

  def holds
    millimetres * millimetres * 15
  end

  def to_s
    "#{metres} m of #{millimetres} mm"
  end
end
