# frozen_string_literal: true

require_relative 'codes'
require_relative 'basket'

# Gift codes are taken off what is to be paid.
def handle(path, body)
  return { error: 'nothing to redeem' } unless path == '/redeem'

  sum = body['sum'].to_i
  return { error: 'the basket is empty' } if sum <= 0

  guests = body['guests'] || 1
  basket = Basket.new(sum, guests)
  code = body['code']
  if code
    value = Codes.value_of(code)
    basket.take_off(value) if value.positive?
    note = value.positive? ? "#{value} off" : 'code not known'
  else
    note = 'no code'
  end
  {
    note: note,
    to_pay: basket.to_pay,
    each: basket.each_pays,
    free: basket.to_pay.zero?
  }
end
