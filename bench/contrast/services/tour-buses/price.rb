# What buses cost.
module Price
  FIRST = 90
  MORE = 70

  def self.of(count)
    FIRST + ((count - 1) * MORE)
  end
end
