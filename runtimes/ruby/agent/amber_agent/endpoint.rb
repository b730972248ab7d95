# frozen_string_literal: true

require 'socket'

module AmberAgent
  # The listening socket of this process: a Unix socket beside the description file, or a TCP port when asked for.
  class Endpoint
    attr_reader :socket

    def initialize
      asked = ENV.fetch('AMBER_LISTEN', '')
      @token = ENV.fetch('AMBER_TOKEN', '')
      if asked.empty?
        @path = "#{Description.run_folder}/#{Process.pid}.sock"
        @socket = bind_unix
      else
        raise IOError, 'AMBER_LISTEN needs AMBER_TOKEN: a debug port is a remote shell' if @token.empty?

        host, _, port = asked.rpartition(':')
        @socket = TCPServer.new(host.empty? ? '127.0.0.1' : host, port.to_i)
      end
      Description.listens
      @inode = @socket.stat.ino
    end

    # Whether the socket is still ours: a program may close every descriptor, and open others of the same numbers.
    def there?
      @socket.stat.ino == @inode
    rescue SystemCallError, IOError
      false
    end

    # A TCP endpoint was asked for and stays open; a Unix socket goes with its client.
    def lasting?
      @path.nil?
    end

    # Whether a client that brings `token` must be turned away (constant time).
    def refuses?(token)
      return false unless lasting?

      given = token.to_s.b
      expected = @token.b
      difference = given.bytesize ^ expected.bytesize
      expected.each_byte.with_index { |byte, index| difference |= byte ^ (given.getbyte(index) || 0) }
      !difference.zero?
    end

    # A connection, or nil when none waits.
    def accept
      connection = @socket.accept_nonblock(exception: false)
      connection == :wait_readable ? nil : connection
    rescue SystemCallError
      nil
    end

    # Close this endpoint; where a connection was waiting on it, open another.
    # @return [(Endpoint, nil), (Endpoint, Socket)]
    def renewed
      unlink
      connection = accept
      return [self, nil] if connection.nil?

      @socket.close
      [Endpoint.new, connection]
    end

    def close
      unlink
      @socket.autoclose = false unless there?
      @socket.close
    rescue SystemCallError, IOError
      # The program has closed it.
    end

    # The pid at the other end of a Unix socket; 0 where the system does not tell.
    def self.peer_pid(connection)
      connection.getsockopt(Socket::SOL_SOCKET, Socket::SO_PEERCRED).unpack('i').first
    rescue SystemCallError, NameError
      0
    end

    private

    def bind_unix
      File.unlink(@path) if File.exist?(@path)
      # Bound under another name and renamed, so that the name appears only when connecting works.
      server = UNIXServer.new("#{@path}.new")
      File.chmod(0o600, "#{@path}.new")
      File.rename("#{@path}.new", @path)
      server
    end

    def unlink
      File.unlink(@path) if @path
    rescue SystemCallError
      # Taken away already.
    end
  end
end
