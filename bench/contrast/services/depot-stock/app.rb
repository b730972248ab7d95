# frozen_string_literal: true

# The depot: what comes in and goes out.
require_relative 'ledger'
require_relative 'orders'

def handle(_path, body)
  moves = body['moves'].map { |item, count| [item.to_s, count.to_i] }
  unknown = moves.map(&:first).find { |item| !item?(item) }
  return { 'ok' => false, 'why' => "what is #{unknown}?" } if unknown

  before = stock_now
  after = apply(before, moves)
  short = shortages(after)
  {
    'ok' => true,
    'stock' => after,
    'short' => short,
    'order' => order_for(short, after),
    'changes' => moves.size
  }
end
