# Tanks by grade, and what a liter costs.
class Tanks
  attr_reader :name

  def initialize(name, each, from)
    @name = name
    @each = each
    @from = from
  end

  def price(liters)
    price = liters * @each
    price *= 0.95 if liters >= @from
    price
  end

  ALL = { 'a' => new('east', 1.2, 1000), 'b' => new('west', 1.4, 700) }.freeze

  def self.for(grade)
    ALL.fetch(grade)
  end
end
