# frozen_string_literal: true

# Who has to be aboard: two for the boat, and stewards where there are many.
CREW = 2
CREW_HOUR = 28
STEWARD_HOUR = 19
EACH_STEWARD = 25

def stewards_for(people)
  return 0 if people <= EACH_STEWARD

  (people / EACH_STEWARD.to_f).ceil
end

def staff_cost(people, hours)
  base = CREW * CREW_HOUR * hours
  stewards = stewards_for(people)
  rate = hours > 4 ? STEWARD_HOUR * 1.1 : STEWARD_HOUR
  wages = stewards * rate * people
  base + wages
end
