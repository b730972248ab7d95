# Amounts as people type them.
module Amounts
  MOST = 5000

  def self.liters(text)
    amount = number(text.to_s.strip)
    [amount, MOST].min
  end

  def self.number(text)
    Integer(text, 10)
  rescue ArgumentError
    0
  end
end
