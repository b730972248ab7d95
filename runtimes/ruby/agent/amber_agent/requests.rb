# frozen_string_literal: true

require_relative 'capabilities'
require_relative 'ending'
require_relative 'functions'
require_relative 'inspection'
require_relative 'raised'
require_relative 'reloading'
require_relative 'sources'
require_relative 'veil'
require_relative 'wanted'

module AmberAgent
  # The DAP requests, one method each. Those about a paused thread run in that thread (inspection.rb); the rest run
  # here, in the serving thread. An error in one request never ends the session.
  class Requests
    HANDLERS = {
      'initialize' => :start, 'attach' => :attach, 'configurationDone' => :nothing, 'disconnect' => :nothing,
      'cancel' => :cancel, 'amberHeartbeat' => :nothing, 'amberForeign' => :set_foreign,
      'amberRequestBreakpoints' => :set_request_breakpoints,
      'amberSendBreakpoints' => :set_send_breakpoints,
      'setBreakpoints' => :set_breakpoints, 'setFunctionBreakpoints' => :set_function_breakpoints,
      'setExceptionBreakpoints' => :set_exception_breakpoints, 'breakpointLocations' => :breakpoint_locations,
      'amberMarks' => :marks, 'threads' => :threads, 'pause' => :pause, 'continue' => :resume, 'next' => :over,
      'stepIn' => :into, 'stepOut' => :out, 'loadedSources' => :loaded_sources, 'source' => :source,
      'amberReload' => :reload
    }.freeze
    BEFORE_ATTACH = %w[initialize attach disconnect].freeze

    def initialize(session, refuses)
      @session = session
      @refuses = refuses
      @admitted = false
      @inspection = Inspection.new(session)
      # By path: what is asked for there, and the marks that are set.
      @asked = {}
      @functions = []
      @marks = {}
    end

    # What a client has said in `initialize`.
    def introduce(arguments)
      @session.amber_client = arguments['amber'].is_a?(Hash)
    end

    def receive(message)
      return unless message['type'] == 'request'

      command = message['command']
      arguments = message['arguments'].is_a?(Hash) ? message['arguments'] : {}
      raise Refused.new('notAttached', 'attach first') unless @admitted || BEFORE_ATTACH.include?(command)
      return ask(message, arguments) if Inspection::REQUESTS.key?(command)

      handler = HANDLERS[command]
      raise Refused.new('notSupported', "this agent does not know the request '#{command}'") if handler.nil?

      respond(message, send(handler, arguments))
      after(command)
    rescue Refused => error
      refuse(message, error.code, error.message)
    rescue StandardError, ScriptError, SystemStackError => error
      refuse(message, 'failed', Values.reason(error))
    end

    # The marks that are set in the file that a piece of code comes from.
    def marks_for(unit)
      @marks[unit.file] || []
    end

    # Whether a mark stands at a line.
    def mark_at?(path, line)
      (@marks[Recorder.absolute(path)] || []).any? { |mark| mark.bound && mark.line == line }
    end

    # Code is about to run: what could not be found before may be in it, and of a file that is loaded again what was found.
    def find_in(unit)
      return if @functions.empty? || @session.foreign.foreign?(unit.path)

      moved = @functions.select(&:usable?).map do |wanted|
        found = Functions.named_in(unit, wanted.name)
        next false if found.empty?

        wanted.set(found) { |place| place.path == unit.file }
        true
      end
      keep_in(unit.file) if moved.any?
    end

    # Code has been loaded: methods may be there now that no file has by that name (`define_method`, an alias).
    def look_again
      @functions.select { |wanted| wanted.usable? && wanted.places.empty? }.each do |wanted|
        find_function(wanted)
        wanted.places.map(&:path).uniq.each { |path| apply(path) }
        wanted.marks.each { |mark| @session.mark_changed(mark) }
      end
    end

    # Every mark is gone at once; what is under way does nothing any more.
    def drop_marks
      @marks.values.each { |marks| marks.each { |mark| mark.live = false } }
      @marks = {}
    end

    # What every mark has counted: the answer to `amberMarks`.
    def counts
      all = @marks.values.flatten.group_by(&:id)
      { 'marks' => all.map { |id, marks| Mark.counts_of(marks).merge('id' => id, 'route' => marks.filter_map(&:route).first) } }
    end

    private

    def respond(message, body)
      answer = { 'type' => 'response', 'request_seq' => message['seq'] || 0, 'success' => true,
                 'command' => message['command'] }
      answer['body'] = body if body
      @session.send_message(answer)
    end

    def refuse(message, code, text)
      @session.send_message(
        'type' => 'response', 'request_seq' => message['seq'] || 0, 'success' => false,
        'command' => message['command'], 'message' => code, 'body' => { 'error' => { 'id' => 1, 'format' => text } }
      )
    end

    # Have a question answered by the paused thread it is about.
    def ask(message, arguments)
      stop = @inspection.stop_of(arguments)
      raise Refused.new('notStopped', 'the thread runs, or has run on since') if stop.nil?

      stop.ask(message['seq']) do
        respond(message, @inspection.send(Inspection::REQUESTS[message['command']], stop, arguments))
      rescue Refused => error
        refuse(message, error.code, error.message)
      rescue Cancelled
        refuse(message, 'cancelled', 'cancelled')
      rescue StandardError, ScriptError, SystemStackError => error
        refuse(message, 'failed', Values.reason(error))
      end
    end

    def after(command)
      case command
      when 'attach' then @session.event('initialized', {})
      when 'configurationDone' then Entry.client_is_ready(@session) if defined?(Entry)
      when 'disconnect' then @session.finish
      end
    end

    # Life of the session.

    def start(arguments)
      introduce(arguments)
      Capabilities.for(arguments)
    end

    def attach(arguments)
      raise Refused.new('refused', 'the token is missing or wrong') if @refuses.call(arguments['token'])

      @admitted = true
      @session.stop_on_entry = arguments['stopOnEntry'] ? true : false
      @session.hits.tells_requests = @session.amber_client && arguments['requests'] == true
      Veil.set(arguments['veil'])
      Ending.install
      Dormant.join_forks(arguments['forks'].is_a?(String) ? arguments['forks'] : nil)
      set_foreign('globs' => arguments['foreign']) if arguments['foreign'].is_a?(Array)
      @session.served.look if @session.amber_client
      @session.printed.install if @session.amber_client && arguments['output'] == true
      nil
    end

    def nothing(_arguments)
      nil
    end

    def cancel(arguments)
      @session.stops.values.each { |stop| stop.cancel(arguments['requestId']) }
      nil
    end

    def set_foreign(arguments)
      @session.foreign = Foreign.new(Array(arguments['globs']).map(&:to_s))
      nil
    end

    # Marks.

    def set_breakpoints(arguments)
      path = arguments.dig('source', 'path') || arguments.dig('source', 'name') or raise Refused.new('noPath', 'a breakpoint needs the path of a file')
      path = real(path)
      wanted = Array(arguments['breakpoints']).map { |item| Wanted.new(item, item['line']) }
      @asked[path] = wanted
      apply(path)
      { 'breakpoints' => wanted.map(&:describe) }
    end

    def set_function_breakpoints(arguments)
      touched = places.map(&:path)
      @functions = Array(arguments['breakpoints']).map { |item| WantedFunction.new(item) }
      @functions.each { |wanted| find_function(wanted) if wanted.usable? }
      (touched + places.map(&:path)).uniq.each { |path| apply(path) }
      { 'breakpoints' => @functions.map(&:describe) }
    end

    def places
      @functions.flat_map(&:places)
    end

    def set_request_breakpoints(arguments)
      wanted = Array(arguments['breakpoints']).map { |item| WantedRequest.new(item) }
      keep(WantedRequest::PATH, wanted, &:place).each do |mark|
        mark.bound = mark.announced = true
        mark.note = @session.served.note
      end
      @session.served.wanted = wanted
      { 'breakpoints' => wanted.map(&:describe) }
    end

    def set_send_breakpoints(arguments)
      wanted = Array(arguments['breakpoints']).map { |item| WantedSend.new(item) }
      marks = keep(WantedSend::PATH, wanted, &:place)
      @session.sends.wanted = wanted.select(&:mark)
      marks.each do |mark|
        mark.bound = mark.announced = true
        mark.note = @session.sends.note
      end
      { 'breakpoints' => wanted.map(&:describe) }
    end

    def find_function(wanted)
      wanted.set(Functions.named(wanted.name, @session.foreign)) { true }
    end

    # Bring the marks of one file in line with what is asked for.
    def apply(path)
      kept = keep_in(path)
      @session.binder.apply(path, kept)
      kept.each { |mark| mark.announced = mark.bound }
    end

    def keep_in(path)
      keep(path, (@asked[path] || []) + places.select { |place| place.path == path }) { path }
    end

    # The marks under `key` are from now on those that are asked for; unchanged ones keep their counts. The block
    # gives the path of each.
    def keep(key, wanted_here)
      before = (@marks[key] || []).dup
      kept = wanted_here.select { |wanted| wanted.trouble.empty? }.map do |wanted|
        path = yield wanted
        same = before.find { |mark| mark.same_as?(path, wanted) }
        mark = wanted.is_a?(FunctionPlace) ? wanted.take(@session, same) : wanted.take(@session, same, path)
        before.delete(mark)
        mark
      end
      before.each { |mark| mark.live = false }
      @marks[key] = kept
    end

    # A cell of a notebook, which runs under this name (notebook/run_cells.rb).
    CELL = %r{\A[^/]*\.ipynb#[1-9]\d*\z}

    def real(path)
      File.realpath(path)
    rescue SystemCallError
      # What has no file goes by its name.
      Recorder.evaluated(path) || CELL.match?(path) ? path : File.expand_path(path)
    end

    def breakpoint_locations(arguments)
      path = real(arguments.dig('source', 'path') || '')
      first = (arguments['line'] || 1).to_i
      last = (arguments['endLine'] || first).to_i
      unit = @session.binder.units_of(path).last
      lines = unit ? @session.binder.lines_of(unit) : Lines.new(Quiet.compile(File.read(path), path))
      { 'breakpoints' => lines.between(first, last).map { |line| { 'line' => line } } }
    rescue SystemCallError, SyntaxError => error
      raise Refused.new('noSource', "the source cannot be read: #{Values.utf8(error.message)[0, 200]}")
    end

    def set_exception_breakpoints(arguments)
      known = Capabilities::FILTERS.map { |filter| filter['filter'] }
      options = Array(arguments['filterOptions']) + Array(arguments['filters']).map { |name| { 'filterId' => name } }
      filters = options.select { |item| known.include?(item['filterId']) }
                       .map { |item| Filter.new(item['filterId'], item['condition']) }
      warnings, errors = filters.partition { |filter| filter.kind == 'warning' }
      @session.warned.set(warnings)
      @session.raised.set(errors)
      @session.binder.reconsider
      answers = options.map do |item|
        item['filterId'] == 'uncaught' ? { 'verified' => true, 'message' => Capabilities::PREDICTION } : { 'verified' => true }
      end
      { 'breakpoints' => answers }
    end

    def marks(_arguments)
      counts
    end

    # Threads.

    def threads(_arguments)
      { 'threads' => @session.threads.list(@session.serving) }
    end

    def pause(arguments)
      reason = @session.pause(arguments['threadId'])
      raise Refused.new('cannotPause', reason) unless reason.empty?
    end

    def resume(arguments)
      go_on(arguments, Action.new('resume', false))
      { 'allThreadsContinued' => false }
    end

    def over(arguments)
      go_on(arguments, Action.new('over', false))
    end

    def into(arguments)
      go_on(arguments, Action.new('into', arguments['amberAnywhere'] ? true : false))
    end

    def out(arguments)
      go_on(arguments, Action.new('out', false))
    end

    def go_on(arguments, action)
      thread = @session.threads.thread_of(arguments['threadId'])
      # Taken out here: a question that follows at once must not reach a stop that is over.
      stop = @session.stops.delete(thread)
      raise Refused.new('notStopped', 'the thread runs') if stop.nil?

      @inspection.forget(stop)
      stop.go_on(action)
      nil
    end

    # Sources.

    # The marks of the file are taken out meanwhile, so that its methods have their own code.
    def reload(arguments)
      path = real(arguments['path'].to_s)
      @session.binder.apply(path, [])
      Reloading.reload(path, arguments['text'].to_s)
    ensure
      apply(path)
    end

    def loaded_sources(_arguments)
      { 'sources' => Sources.all(@session.foreign) }
    end

    def source(arguments)
      wanted = arguments['source'] || { 'sourceReference' => arguments['sourceReference'] }
      text = Sources.text(wanted)
      raise Refused.new('noSource', "there is no source to show for '#{wanted['name'] || wanted['path']}'") if text.nil?

      { 'content' => Values.utf8(text), 'mimeType' => 'text/x-ruby' }
    end
  end
end
