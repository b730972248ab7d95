# frozen_string_literal: true

module AmberAgent
  # What a program has read of a request's body and made of it, and what it has answered so far: from where its server
  # and its framework keep it. No stream is read or moved for it, and no method of the program's own is called.
  module Content
    # Bytes of a body that are shown.
    SHOWN = 65_536
    # Where applications keep their answer while they make it, and what is in there.
    ANSWERS = %i[@response @_response].freeze
    HEADERS = %i[@headers @header].freeze

    class << self
      # The parts of a request of Rack, from its environment: those that are there by now.
      def parts_of(env)
        form, files = form_of(env['rack.request.form_hash'])
        body = env['action_dispatch.request.request_parameters'] unless form
        { 'form' => form, 'files' => files, 'session' => session_of(env['rack.session']), 'body' => body || body_of(env) }.compact
      end

      # The parts of a request of WEBrick, which reads forms and bodies when it is first asked for them.
      def of_webrick(request)
        body = held(request, :@body)
        form = plain(held(request, :@query)) if body && request.content_type.to_s.start_with?('application/x-www-form-urlencoded')
        { 'form' => form, 'body' => (Values.utf8(body.byteslice(0, SHOWN)) if String === body) }.compact
      end

      # The headers and the body of the answer that is made in these frames, the innermost first.
      def answer_in(env, receivers)
        controller = env && env['action_controller.instance']
        answer = [*receivers, controller].compact.filter_map { |receiver| ANSWERS.filter_map { |name| held(receiver, name) }.first }.first
        answer ? answer_of(answer) : {}
      end

      # The same of an answer's object: Rack's, a framework's that has its shape, or WEBrick's.
      def answer_of(answer)
        status = held(answer, :@status)
        headers = HEADERS.filter_map { |name| plain(held(answer, name)) }.first
        body = body_in(held(answer, :@body) || held(held(answer, :@stream), :@buf))
        { 'status' => (status if status.is_a?(Integer)), 'headers' => headers, 'body' => body }.compact
      end

      # A body that the program has given for a request of its own.
      def given(body, type)
        return unless String === body && !body.empty?

        parsed(body, type) || Values.utf8(body.byteslice(0, SHOWN))
      end

      private

      # A value that an object holds. Whatever methods its class has made of its own, they are not called.
      def held(object, name)
        Kernel.instance_method(:instance_variable_get).bind_call(object, name) unless NilClass === object
      end

      # What a delegate stands for: a Tempfile for its file, the headers of an answer for a hash.
      def behind(object)
        held(object, :@delegate_dc_obj) || object
      end

      # A hash, whatever its class has made of reading one.
      def plain(hash)
        hash = behind(hash)
        {}.merge(hash).transform_keys(&:to_s) if Hash === hash && !hash.empty?
      end

      # Files are among the values of a form (Rack's `multipart`).
      def form_of(hash)
        return [nil, nil] unless Hash === hash

        files, values = {}.merge(hash).partition { |_name, value| Hash === value && value.key?(:tempfile) }
        [values.to_h, files.empty? ? nil : files.to_h.transform_values { |file| file_of(file) }]
      end

      def file_of(file)
        stream = behind(file[:tempfile])
        { 'name' => file[:filename], 'type' => file[:type], 'size' => (File.size?(stream.path) if File === stream) }.compact
      end

      # A session that has not been loaded yet is not loaded for this.
      def session_of(session)
        return plain(session) if Hash === session

        plain(held(session, :@data) || held(session, :@delegate))
      end

      # A body that the server has in memory.
      def body_of(env)
        text = text_in(env['rack.input'])
        return if text.nil? || text.empty? || env['CONTENT_TYPE'].to_s.start_with?('multipart/')

        parsed(text, env['CONTENT_TYPE'].to_s) || Values.utf8(text.byteslice(0, SHOWN))
      end

      def text_in(stream)
        return unless defined?(StringIO)

        stream = held(stream, :@input) if stream && !(StringIO === stream)
        stream.string if StringIO === stream
      end

      def parsed(text, type)
        JSON.parse(text.dup.force_encoding(Encoding::UTF_8)) if type.match?(%r{\A[^;]*[/+]json\b}) && text.bytesize <= SHOWN
      rescue JSON::ParserError, EncodingError
        # The text says what is wrong with it.
        nil
      end

      def body_in(pieces)
        pieces = [pieces] if String === pieces
        return unless Array === pieces && pieces.all?(String) && !pieces.empty?

        Values.utf8(pieces.join.byteslice(0, SHOWN))
      end
    end
  end
end
