# Splits the bill of a group; the money service does the sums.
require 'json'
require 'net/http'
require_relative 'groups'

def handle(_path, body, headers)
  group = Groups.read(body)
  answer = ask({ total: group[:total], people: group[:people], tip: group[:tip] }, headers)
  shares = answer['shares']
  paid = shares.sum
  { 'shares' => shares, 'paid' => paid, 'missing' => group[:total] + answer['tip'] - paid,
    'rounded' => shares.uniq.size > 1 }
end

def ask(question, headers)
  uri = URI("#{ENV.fetch('PARTNER_URL')}/splits")
  request = Net::HTTP::Post.new(uri)
  request['traceparent'] = headers['traceparent'] if headers['traceparent']
  request.body = JSON.generate(question)
  response = Net::HTTP.start(uri.host, uri.port) { |http| http.request(request) }
  JSON.parse(response.body)
end
