# frozen_string_literal: true

require_relative 'stock'
require_relative 'bill'

# Nets are sold by size.
def handle(path, body)
  return { error: 'no nets' } unless path == '/nets'

  count = body['count'].to_i
  return { error: 'how many?' } unless count.positive?

  stock = Stock.new
  item = stock.item(body['size'])
  bill = Bill.new(item, count, member: body['member'] == true)
  {
    size: body['size'],
    weight: bill.weight,
    sum: bill.sum,
    postage: bill.postage,
    total: bill.total
  }
end
