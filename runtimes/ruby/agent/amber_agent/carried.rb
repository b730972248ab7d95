# frozen_string_literal: true

require_relative 'content'

module AmberAgent
  # What a request carries, to be looked at while it is held: read from what the server has parsed of its head. Its body
  # is the program's to read; what the program has read of it is shown.
  module Carried
    # Headers that Rack's environment has without the prefix (Rack's SPEC, "The Environment").
    BARE = { 'CONTENT_TYPE' => 'content-type', 'CONTENT_LENGTH' => 'content-length' }.freeze

    class << self
      # The variables of the scope `Request`, by their names.
      def parts_of(request)
        path = request.target.split('?', 2).first
        headers = headers_in(request)
        parts = { 'method' => request.verb, 'path' => path, 'query' => query_in(request), 'headers' => headers }
        parts['cookies'] = cookies_of(headers['cookie']) if headers['cookie']
        parts.merge(request.read.call)
      end

      def query_in(request)
        query_of(request.target.split('?', 2)[1])
      end

      def headers_in(request)
        request.headers.call
      end

      def cookies_in(request)
        cookies_of(headers_in(request)['cookie'])
      end

      # Of one request what is there once the program has read it, or made it: nil until then.
      %w[form files session body].each do |part|
        define_method("#{part}_in") { |request| request.read.call[part] }
      end

      # The variables of the scope `Response`. `receivers`: of the frames that serve it, the innermost first.
      def answer_of(request, receivers)
        { 'status' => request.status }.merge(request.answer.call(receivers)).compact
      end

      # The headers in a Rack environment, by their names in lower case.
      def headers_of(env)
        named = env.select { |name, _value| name.is_a?(String) && name.start_with?('HTTP_') && name != 'HTTP_VERSION' }
        found = named.transform_keys { |name| name.delete_prefix('HTTP_').downcase.tr('_', '-') }
        BARE.each { |name, header| found[header] = env[name] if env[name] }
        found
      end

      private

      def query_of(query)
        pairs = query.to_s.split('&').map { |part| part.split('=', 2).map { |text| decoded(text) } }
        pairs.group_by(&:first).transform_values do |those|
          values = those.map { |_name, value| value.to_s }
          values.size > 1 ? values : values.first
        end
      end

      # A text of `application/x-www-form-urlencoded` (URL Standard, 5.1). The library for it is not loaded for this: the
      # program would have it from then on.
      def decoded(text)
        bytes = text.tr('+', ' ').b.gsub(/%\h\h/) { |code| code.delete('%').hex.chr }
        Values.utf8(bytes)
      end

      # RFC 6265, 4.2.1.
      def cookies_of(header)
        pairs = Array(header).join('; ').split(/;\s*/).map { |part| part.split('=', 2) }
        pairs.select { |pair| pair.size == 2 }.to_h
      end
    end
  end
end
