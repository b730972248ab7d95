# frozen_string_literal: true

# What it costs to have a boat for oneself.
require_relative 'boats'
require_relative 'staff'
require_relative 'extras'

def handle(_path, body)
  boat = BOATS[body['boat']]
  return { 'ok' => false, 'why' => 'no such boat' } if boat.nil?

  people = body['people'].to_i
  return { 'ok' => false, 'why' => 'too many' } if people > boat[:most]

  hours = body['hours'].to_f
  hull = boat[:hour] * hours
  crew = staff_cost(people, hours)
  extra = extras_cost(body, people)
  sum = hull + crew + extra
  {
    'ok' => true,
    'hull' => hull.round(2),
    'crew' => crew.round(2),
    'extras' => extra.round(2),
    'total' => with_deposit(sum, boat)
  }
end

def with_deposit(sum, boat)
  deposit = boat[:most] > 50 ? 200 : 100
  { 'sum' => sum.round(2), 'deposit' => deposit }
end
