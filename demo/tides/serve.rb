# frozen_string_literal: true

# Runs the tides service on a plain TCP server, a thread for each connection: ruby serve.rb [PORT]
require 'json'
require 'socket'
require_relative 'handlers'

REASONS = { 200 => 'OK', 400 => 'Bad Request', 404 => 'Not Found', 405 => 'Method Not Allowed', 500 => 'Error' }.freeze

def serve(connection)
  while (request_line = connection.gets)
    method, target, = request_line.split
    headers = {}
    while (line = connection.gets&.chomp) && !line.empty?
      name, value = line.split(': ', 2)
      headers[name.downcase] = value
    end
    connection.read(headers['content-length'].to_i)
    status, body = answer(method, target)
    text = JSON.generate(body)
    connection.write("HTTP/1.1 #{status} #{REASONS[status]}\r\nContent-Type: application/json\r\n" \
                     "Content-Length: #{text.bytesize}\r\n\r\n#{text}")
    break if headers['connection']&.downcase == 'close'
  end
rescue Errno::ECONNRESET, Errno::EPIPE
  nil
ensure
  connection.close
end

def answer(method, target)
  Handlers.answer(method, target)
rescue StandardError => error
  warn("tides: #{error.class}: #{error.message}")
  [500, { error: 'something went wrong' }]
end

server = TCPServer.new('127.0.0.1', (ARGV[0] || 0).to_i)
%w[INT TERM].each { |signal| trap(signal) { exit } }
$stdout.sync = true
puts "tides listens on http://127.0.0.1:#{server.addr[1]}"
loop do
  Thread.new(server.accept) { |connection| serve(connection) }
end
