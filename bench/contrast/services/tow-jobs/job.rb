require_relative 'chart'

# From one place of the harbour to another.
class Job
  attr_reader :boat

  def initialize(boat, from, to)
    @boat = boat
    @from_x, @from_y = from
    @to_x, @to_y = to
  end

  def inside?
    [@from_x, @from_y, @to_x, @to_y].all? { |each| each.between?(0, 9) }
  end

  def length
    across = (@to_x - @from_x).abs
    along = (@to_y - @from_y).abs
    across + along
  end

  def depth
    Chart.depth(@to_y, @to_x)
  end
end
