# frozen_string_literal: true

# What an invoice is made of. The discount of a group is on fares only.
STEPS = %i[fares meals group_discount booking_fee].freeze
MEAL = 8.5
GROUP_FROM = 10

def fares(invoice, order)
  invoice.add('fares', order[:seats] * order[:each])
end

def meals(invoice, order)
  return if order[:meals].zero?

  invoice.add('meals', order[:meals] * MEAL)
end

def group_discount(invoice, order)
  return if order[:seats] < GROUP_FROM

  invoice.add('group', -(invoice.total * 0.1))
end

def booking_fee(invoice, order)
  fee = order[:seats] > 15 ? 0 : 2
  invoice.add('booking', fee)
end
