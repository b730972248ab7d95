# What mending costs.
class Invoice
  EACH = 0.8
  RUSH = 12

  def initialize(minutes, rush: false)
    @minutes = minutes
    @rush = rush
  end

  def total
    total = @minutes * EACH
    total += RUSH if @rush
    total.round(2)
  end
end
