# frozen_string_literal: true

# What a month of a route costs; every further route is cheaper.
MONTHLY = { 'Tarrin' => 40, 'Skerrow' => 55, 'Holm' => 30 }.freeze
HIGH = [6, 7, 8].freeze

def price_of(covered)
  total = 0
  covered.each_with_index do |(route, months), index|
    each = MONTHLY.fetch(route)
    sum = months.sum { |month| HIGH.include?(month) ? each * 1.2 : each }
    sum *= 0.8 if index.positive?
    total += sum
  end
  total.round(2)
end
