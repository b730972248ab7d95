# frozen_string_literal: true

# What has to be ordered.
LEAST = { 'rope' => 10, 'paint' => 5, 'oil' => 15 }.freeze

def shortages(stock)
  stock.select { |item, count| count < LEAST.fetch(item) }.keys
end

def order_for(short, stock)
  short.to_h do |item|
    missing = LEAST.fetch(item) - stock.fetch(item)
    [item, missing * 2]
  end
end
