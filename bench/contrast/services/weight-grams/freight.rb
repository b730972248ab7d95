# Asks the freight service, within the same trace.
require 'json'
require 'net/http'

module Freight
  def self.quote(parcel, to, headers)
    uri = URI("#{ENV.fetch('PARTNER_URL')}/quotes")
    request = Net::HTTP::Post.new(uri)
    request['traceparent'] = headers['traceparent'] if headers['traceparent']
    request.body = JSON.generate(weight: parcel[:weight], to: to, fragile: parcel[:fragile])
    response = Net::HTTP.start(uri.host, uri.port) { |http| http.request(request) }
    raise "freight said #{response.code}" unless response.code == '200'

    JSON.parse(response.body)
  end
end
