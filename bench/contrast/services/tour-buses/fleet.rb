# Buses are filled one after the other.
class Fleet
  def initialize(size)
    @size = size
    @buses = [[]]
  end

  def seat(name)
    @buses << [] if @buses.last.size >= @size - 1
    @buses.last << name
  end

  def count
    @buses.size
  end

  def last
    @buses.last.size
  end
end
