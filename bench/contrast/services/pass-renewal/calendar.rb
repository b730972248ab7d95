# frozen_string_literal: true

require 'date'
require 'time'

# Days as the office counts them: in UTC, wherever somebody writes from.
def day_of(text)
  Time.iso8601(text).to_date
end

def days_between(from, to)
  (to - from).to_i
end
