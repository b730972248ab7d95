# frozen_string_literal: true

require_relative 'rates'

# Goods that are sent.
class Cargo
  FREE_DAYS = 2

  attr_reader :goods

  def initialize(order)
    @goods = order['goods']
    @value = order['value']
    @days = order['days'] || 1
    @insured = order['insured'] || true
  end

  def freight
    Rates.base(@goods) + @value * 0.02
  end

  def premium
    return 0 unless @insured

    @value * Rates.risk(@goods)
  end

  def storage
    extra = @days - FREE_DAYS
    extra.positive? ? extra * 8 : 0
  end
end
