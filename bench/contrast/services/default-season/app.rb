require_relative 'prices'

def handle(_path, body)
  season = season_of(body)
  price = Prices.of(body['kind'], season)
  count = body['count'] || 1
  total = price * count
  { 'season' => season, 'total' => total }
end

def season_of(body)
  month = body['month']
  return body['season'] || 'none' if month.nil?

  month.between?(6, 8) ? 'high' : 'low'
end
