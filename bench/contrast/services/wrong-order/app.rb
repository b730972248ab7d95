require_relative 'steps'

def handle(_path, body)
  order = { total: body['total'], code: body['code'] }
  order = Steps.tax(order)
  order = Steps.discount(order)
  { 'total' => order[:total].round(2) }
end
