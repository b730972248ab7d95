# frozen_string_literal: true

# Runs the tides service on a plain TCP server, a thread for each connection: ruby serve.rb [PORT]
require 'socket'
require_relative 'handlers'

REASONS = { 200 => 'OK', 400 => 'Bad Request', 404 => 'Not Found', 405 => 'Method Not Allowed', 500 => 'Error' }.freeze

def serve(connection)
  while (request_line = connection.gets)
    method, target, = request_line.split
    env = environment(method, target)
    while (line = connection.gets&.chomp) && !line.empty?
      name, value = line.split(': ', 2)
      env["HTTP_#{name.upcase.tr('-', '_')}"] = value
    end
    connection.read(env['HTTP_CONTENT_LENGTH'].to_i)
    connection.write(written(*Handlers.call(env)))
    break if env['HTTP_CONNECTION']&.downcase == 'close'
  end
rescue Errno::ECONNRESET, Errno::EPIPE
  nil
ensure
  connection.close
end

# A request as Rack has it.
def environment(method, target)
  path, query = target.split('?', 2)
  { 'REQUEST_METHOD' => method, 'SCRIPT_NAME' => '', 'PATH_INFO' => path, 'QUERY_STRING' => query || '' }
end

# An answer as HTTP has it.
def written(status, headers, body)
  text = body.join
  lines = headers.merge('Content-Length' => text.bytesize).map { |name, value| "#{name}: #{value}\r\n" }
  "HTTP/1.1 #{status} #{REASONS[status]}\r\n#{lines.join}\r\n#{text}"
end

server = TCPServer.new('127.0.0.1', (ARGV[0] || 0).to_i)
%w[INT TERM].each { |signal| trap(signal) { exit } }
$stdout.sync = true
puts "tides listens on http://127.0.0.1:#{server.addr[1]}"
loop do
  Thread.new(server.accept) { |connection| serve(connection) }
end
