require_relative 'amounts'
require_relative 'tanks'

# One order.
class Orders
  attr_reader :problem, :grade

  def self.from(body)
    new(body['ship'], body['liters'], body.fetch('grade', 'a'))
  end

  def initialize(ship, liters, grade)
    @ship = ship
    @grade = grade
    @liters = Amounts.liters(liters)
    @problem = 'which ship?' if @ship.to_s.empty?
  end

  def summary
    tank = Tanks.for(@grade)
    price = tank.price(@liters)
    { ship: @ship, liters: @liters, price: price.round(2), barges: barges }
  end

  def barges
    (@liters / 500.0).ceil
  end
end
