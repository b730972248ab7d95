module Pay
  RATES = { 'deck' => 18.0, 'engine' => 21.0 }.freeze
  NIGHT = 12.0

  def self.rate_of(role)
    RATES.fetch(role)
  end

  def self.total(nights, worked, rate)
    base = hourly(rate, worked)
    extra = nights * NIGHT
    over = overtime(worked, rate)
    (base + extra + over).round(2)
  end

  def self.hourly(rate, minutes)
    rate * minutes / 60
  end

  def self.overtime(minutes, rate)
    more = minutes - 40 * 60
    return 0 if more <= 0

    hourly(more, rate * 0.5)
  end
end
