# What a day is worth.
module Pay
  DAY = 120
  WEEKEND = 45
  NIGHT = 30

  def self.of(row)
    pay = DAY
    pay += WEEKEND if row[:weekend]
    pay += NIGHT if row[:night]
    pay
  end
end
