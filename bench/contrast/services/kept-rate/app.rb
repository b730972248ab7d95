require_relative 'rates'
require_relative 'kinds'

RATES = Rates.new

def handle(_path, body)
  kind = body['kind']
  rate = RATES.rate_for(body['month'])
  share = share_of(kind)
  price = (40 * rate * share).round
  { 'price' => price, 'kind' => kind }
end
