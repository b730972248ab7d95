# Mends hole by hole.
class Workshop
  A_DAY = 60

  attr_reader :minutes

  def initialize(holes)
    @holes = holes
    @minutes = 0
  end

  def run
    @holes.each do |hole|
      next if hole.zero?

      @minutes += minutes_for(@holes.first)
    end
  end

  def days
    (@minutes / A_DAY.to_f).ceil
  end

  private

  def minutes_for(hole)
    5 + (hole * 4)
  end
end
