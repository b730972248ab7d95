# What may be done with a booking, by its state.
require_relative 'bookings'
require_relative 'actions'

def handle(_path, body)
  booking = Bookings.find(body['id'])
  return { 'error' => 'no such booking' } if booking.nil?

  booking = Bookings.apply(booking, body['do']) if body['do']
  actions = Actions.for(booking)
  { 'state' => booking[:state].to_s, 'actions' => actions, 'paid' => booking[:paid] }
end
