# frozen_string_literal: true

# Where rope is sold.
class Counter
  METRE = 0.8
  COLOUR = 0.2

  def initialize(colour)
    @colour = colour
  end

  def price(rope)
    metre = METRE
    metre += COLOUR if @colour
    metre += 0.5 if rope.millimetres >= 12
    (metre * rope.metres).round(2)
  end
end
