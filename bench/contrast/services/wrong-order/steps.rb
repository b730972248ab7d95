module Steps
  OFF = { 'FERRY5' => 5, 'CREW' => 20 }.freeze

  def self.discount(order)
    off = OFF[order[:code]] || 0
    total = order[:total] - off
    order.merge(total: total)
  end

  def self.tax(order)
    total = order[:total] * 1.2
    order.merge(total: total)
  end
end
