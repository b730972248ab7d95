# frozen_string_literal: true

# Whether somebody still reaches the last boat of a day.
require_relative 'clock'
require_relative 'timetable'
require_relative 'advice'

def handle(_path, body)
  port = body['to']
  season = season_of(body['day'])
  last = last_departure(port, season)
  return { 'ok' => false, 'why' => 'no boat on that day' } if last.nil?

  leaves = moment(body['day'], last)
  now = Time.iso8601(body['now'])
  left = minutes_between(now, leaves)
  state = state_of(left)
  {
    'ok' => true,
    'leaves' => last,
    'state' => state,
    'minutes' => left,
    'advice' => advice_for(state, port, left)
  }
end

def state_of(left)
  if left.negative?
    'gone'
  elsif left < 15
    'boarding'
  else
    'in time'
  end
end
