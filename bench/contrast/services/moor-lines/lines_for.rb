# Lines and fenders for a boat.
class LinesFor
  STRONG = 7
  LARGE = 15

  def initialize(length, wind)
    @length = length
    @wind = wind
  end

  def count
    count = 2
    count += 2 if strong? && large?
    count
  end

  def fenders
    (@length / 4.0).ceil + (strong? ? 1 : 0)
  end

  def strong?
    @wind >= STRONG
  end

  def large?
    @length > LARGE
  end
end
