module Actions
  def self.for(booking)
    found = ['show']
    case booking[:state]
    when :open
      found << 'pay' << 'cancel'
    when :paid
      found << 'refund' << 'change'
    when :sailed
      found << 'complain'
    end
    found << 'receipt' if booking[:paid].positive?
    found
  end
end
