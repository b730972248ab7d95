# frozen_string_literal: true

# A bill for nets.
class Bill
  REBATE = 0.1
  HEAVY = 15

  def initialize(item, count, member: false)
    @item = item
    @count = count
    @member = member
  end

  def weight
    @item[:weight] * @count
  end

  def sum
    sum = @item[:price] * @count
    @member ? (sum * (1 - REBATE)).round(2) : sum
  end

  def postage
    weight > HEAVY ? 12 : 5
  end

  def total
    sum + postage
  end
end
