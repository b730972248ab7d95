# frozen_string_literal: true

# Serves `handle(path, body)` of app.rb in the folder it runs in, with the headers where it takes them; prints its port.
require 'json'
require 'webrick'
require File.join(Dir.pwd, 'app')

server = WEBrick::HTTPServer.new(Port: 0, BindAddress: '127.0.0.1', AccessLog: [], Logger: WEBrick::Log.new(File::NULL))
server.mount_proc('/') do |request, response|
  given = [request.path, JSON.parse(request.body || '{}'), request]
  response.body = JSON.generate(handle(*given.first(method(:handle).arity)))
rescue StandardError => error
  response.status = 500
  response.body = JSON.generate('error' => error.inspect)
end
puts server.listeners.first.addr[1]
$stdout.flush
server.start
