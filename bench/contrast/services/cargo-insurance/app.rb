# frozen_string_literal: true

require_relative 'cargo'
require_relative 'rates'

# What cargo costs, with insurance unless it is not wanted.
def handle(path, body)
  return { error: 'no cargo' } unless path == '/cargo'

  trouble = Rates.trouble_with(body['goods'], body['value'])
  return { error: trouble } if trouble

  cargo = Cargo.new(body)
  freight = cargo.freight
  premium = cargo.premium
  {
    goods: cargo.goods,
    freight: freight.round(2),
    premium: premium.round(2),
    storage: cargo.storage,
    total: (freight + premium + cargo.storage).round(2)
  }
end
