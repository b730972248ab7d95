module Rates
  DAILY = { 'city' => 9, 'cargo' => 24, 'child' => 5 }.freeze
  WEEK = 7

  # Of each whole week one day is free.
  def self.free_days(kind, days)
    return 0 if kind == 'cargo'
    return 0 unless days > WEEK

    days / WEEK
  end

  def self.price(kind, days)
    daily = DAILY.fetch(kind)
    total = daily * days
    total -= 2 if days > 3
    total
  end
end
