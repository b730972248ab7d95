# What a sensor has measured.
class Series
  KNOT = 0.514

  def initialize(values, unit)
    factor = unit == 'kn' ? KNOT : 1.0
    @values = values.map { |value| value * factor }
  end

  def mean
    sum = @values.sum(0.0)
    (sum / @values.size).round(1)
  end

  def most
    @values.max.to_f
  end
end
