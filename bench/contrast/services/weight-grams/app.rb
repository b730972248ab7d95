# Parcels at the counter: weighed, labelled, and priced by the freight service.
require_relative 'scale'
require_relative 'freight'

def handle(_path, body, headers)
  parcels = body['parcels'].map { |given| Scale.read(given) }
  lines = parcels.map do |parcel|
    quote = Freight.quote(parcel, body['to'] || 'Holm', headers)
    { 'label' => label(parcel), 'price' => quote['price'], 'class' => quote['class'] }
  end
  total = lines.sum { |line| line['price'] }
  { 'lines' => lines, 'total' => total.round(2), 'heavy' => lines.any? { |line| line['class'] == 'C' } }
end

def label(parcel)
  mark = parcel[:fragile] ? '!' : ''
  "#{parcel[:kind]}#{mark} #{parcel[:weight]}"
end
