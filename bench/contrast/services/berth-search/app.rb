# frozen_string_literal: true

require_relative 'berths'
require_relative 'tariff'

# A berth for a boat of a length: berths take boats from a length up to one, both included.
def handle(path, body)
  return { error: 'no berths' } unless path == '/berths'

  length = body['length'].to_i
  return { error: 'how long is she?' } unless length.positive?

  berth = Berths.new.find_for(length)
  return { error: 'no berth is free' } if berth.nil?

  tariff = Tariff.new(berth, body['nights'] || 1)
  {
    berth: berth.name,
    spare: berth.to - length,
    a_night: tariff.a_night,
    total: tariff.total(body['power'] == true)
  }
end
