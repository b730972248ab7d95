require_relative 'areas'
require_relative 'press'
require_relative 'prices'

PRESS = Press.new

# Charts that are printed while people wait.
def handle(path, body)
  return { error: 'not found' } if path != '/charts'

  area = Areas.find(body['area'])
  return { error: "no chart of #{body['area']}" } if area.nil?

  size = body.fetch('size', 'a3')
  copies = body.fetch('copies', 1)
  plate = PRESS.plate(area, size)
  sheets = plate.sheets * copies
  {
    area: area.name,
    scale: "1:#{plate.scale}",
    sheets: sheets,
    price: Prices.of(sheets, folded: body['folded'])
  }
end
