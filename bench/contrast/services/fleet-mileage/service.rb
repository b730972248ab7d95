# A boat goes to the yard after so many miles.
module Service
  EVERY = 600
  SOON = 3

  def self.due_in(log)
    left = EVERY - log.miles
    days = (left / log.average).ceil
    days < SOON ? 0 : days
  end
end
