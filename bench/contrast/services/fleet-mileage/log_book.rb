# What a boat has done.
class LogBook
  attr_reader :boat, :miles, :days

  def initialize(boat, miles, days)
    @boat = boat
    @miles = miles
    @days = days
  end

  def average
    per_day = @miles / @days
    per_day = 0.5 if per_day.zero?
    per_day.to_f
  end

  def consumption(liters)
    (liters.to_f / @miles).round(2)
  end
end
