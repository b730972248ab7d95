# Hours that the crew has worked, and what is paid for them.
require_relative 'hours'
require_relative 'pay'

def handle(_path, body)
  shifts = body['shifts'].map { |shift| Hours.read(shift) }
  worked = shifts.sum { |shift| shift[:minutes] }
  nights = shifts.count { |shift| shift[:night] }
  rate = Pay.rate_of(body['role'] || 'deck')
  pay = Pay.total(nights, worked, rate)
  { 'hours' => (worked / 60.0).round(2), 'nights' => nights, 'pay' => pay }
end
