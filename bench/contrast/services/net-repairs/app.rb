require_relative 'workshop'
require_relative 'invoice'

# Nets that are mended.
def handle(path, body)
  return { error: 'not found' } unless path == '/nets'

  holes = body['holes']
  return { error: 'which holes?' } unless holes.is_a?(Array)

  workshop = Workshop.new(holes)
  workshop.run
  invoice = Invoice.new(workshop.minutes, rush: body['rush'])
  { minutes: workshop.minutes, days: workshop.days, total: invoice.total }
end
