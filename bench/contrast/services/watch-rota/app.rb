# frozen_string_literal: true

require_relative 'rota'
require_relative 'pay'

# Who keeps watch at night.
def handle(path, body)
  return { error: 'no rota' } unless path == '/rota'

  crew = body['crew'] || []
  return { error: 'nobody there' } if crew.empty?
  return { error: 'how many nights?' } unless body['nights'].to_i.positive?

  rota = Rota.new(crew, body['nights'])
  watches = rota.watches
  counts = rota.counts
  pay = Pay.for(counts, body['double'] == true)
  {
    watches: watches,
    counts: counts,
    pay: pay,
    even: counts.values.uniq.size == 1
  }
end
