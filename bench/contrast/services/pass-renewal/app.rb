# frozen_string_literal: true

# Yearly passes: are they good still, and what does a new one cost.
require_relative 'calendar'
require_relative 'passes'

def handle(_path, body)
  pass = PASSES[body['pass']]
  return { 'ok' => false, 'why' => 'no such pass' } if pass.nil?

  today = day_of(body['now'])
  left = days_between(today, pass[:until])
  state = state_of(left)
  price = renewal_price(pass, state)
  {
    'ok' => true,
    'state' => state,
    'days' => left,
    'price' => price,
    'from' => next_start(pass, today).to_s
  }
end

def state_of(left)
  return 'expired' if left.negative?
  return 'ends soon' if left <= 7

  'good'
end
