# frozen_string_literal: true

require_relative 'shift'
require_relative 'wages'

# Hours of the crew, and what they earn.
def handle(path, body)
  return { error: 'no hours' } unless path == '/hours'

  trouble = trouble_with(body)
  return { error: trouble } if trouble

  shift = Shift.new(body['minutes'], body['breaks'] || 0, night: body['night'] == true)
  wage = Wages.of(body['crew'])
  pay = shift.hours * wage
  bonus = shift.night? ? Wages.night_bonus(pay) : 0
  {
    crew: body['crew'],
    hours: shift.hours,
    long: shift.long?,
    pay: pay.round(2),
    bonus: bonus.round(2),
    total: (pay + bonus).round(2)
  }
end

def trouble_with(body)
  return 'who?' if body['crew'].to_s.empty?
  return 'how long?' unless body['minutes'].to_i.positive?

  'more breaks than work' if (body['breaks'] || 0) >= body['minutes']
end
