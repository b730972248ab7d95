# Days of the week by their numbers, from 1 on.
module Week
  DAYS = %w[Mo Tu We Th Fr Sa Su].freeze

  def self.days(start, count)
    found = []
    count.times do |offset|
      day = start + offset
      day = (day % DAYS.size) + 2 if day > DAYS.size
      found << day
    end
    found
  end

  def self.name(day)
    DAYS[day - 1]
  end

  def self.weekend?(day)
    day >= 6
  end
end
