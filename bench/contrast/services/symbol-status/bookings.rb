module Bookings
  ALL = {
    'B1' => { state: :open, paid: 0, total: 40 },
    'B2' => { state: :paid, paid: 40, total: 40 },
    'B3' => { state: :sailed, paid: 22, total: 22 },
  }.freeze
  NEXT = { 'pay' => 'paid', 'sail' => 'sailed', 'cancel' => 'cancelled' }.freeze

  def self.find(id)
    ALL[id]
  end

  def self.apply(booking, action)
    state = NEXT.fetch(action)
    paid = action == 'pay' ? booking[:total] : booking[:paid]
    booking.merge(state: state, paid: paid)
  end
end
