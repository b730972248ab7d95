# frozen_string_literal: true

# What was in the traps.
class Catch
  def initialize(traps, buoy)
    @traps = traps
    @buoy = buoy
  end

  def buoy
    @buoy || 'A'
  end

  def total
    @traps.sum
  end

  def mean
    return 0 if @traps.empty?

    (total.to_f / @traps.size).round(1)
  end
end
