# Bicycles that are lent at the harbour.
require_relative 'lending'
require_relative 'rates'

def handle(_path, body)
  lending = Lending.read(body)
  days = lending.days
  free = Rates.free_days(lending.kind, days)
  price = Rates.price(lending.kind, days - free)
  deposit = lending.kind == 'cargo' ? 60 : 20
  { 'days' => days, 'free' => free, 'price' => price, 'deposit' => deposit }
end
