# A group and what it has to pay, in cents.
module Groups
  def self.read(body)
    people = body['people'] || 2
    raise ArgumentError, 'nobody pays' if people < 1

    total = body['items'].sum { |item| item['price'] * (item['count'] || 1) }
    { people: people, total: total, tip: body['tip'] || 0 }
  end
end
