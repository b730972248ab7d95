# frozen_string_literal: true

require 'time'

# Times of the ports, which keep summer time from the end of March to the end of October.
def summer?(month)
  (4..10).cover?(month)
end

def moment(day, clock)
  year, month, day_of_month = day.split('-').map(&:to_i)
  hours, minutes = clock.split(':').map(&:to_i)
  Time.utc(year, month, day_of_month, hours, minutes)
end

def minutes_between(from, to)
  ((to - from) / 60).floor
end
