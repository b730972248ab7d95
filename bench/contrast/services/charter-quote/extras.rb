# frozen_string_literal: true

# What is asked for beside the boat.
MEAL = 14.5
EVENING = 60

def extras_cost(body, people)
  sum = 0.0
  sum += people * MEAL if body['catering']
  sum += EVENING if evening?(body['from'])
  sum
end

def evening?(from)
  return false if from.nil?

  from.split(':').first.to_i >= 18
end
