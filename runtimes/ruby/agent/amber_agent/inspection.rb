# frozen_string_literal: true

require_relative 'carried'
require_relative 'children'
require_relative 'completions'
require_relative 'evaluate'

module AmberAgent
  # A question that cannot be answered: a code for programs and a sentence for people.
  class Refused < StandardError
    attr_reader :code

    def initialize(code, text)
      super(text)
      @code = code
    end
  end

  # The requests about a paused thread: its stack, scopes, variables, and expressions in its frames.
  #
  # Every method runs in the paused thread. A reference given out during one stop means nothing after it.
  class Inspection
    REQUESTS = {
      'stackTrace' => :stack_trace, 'scopes' => :scopes, 'variables' => :variables, 'evaluate' => :evaluate,
      'setVariable' => :set_variable, 'setExpression' => :set_expression, 'completions' => :completions,
      'exceptionInfo' => :exception_info
    }.freeze

    # A scope of a frame, as the parent of variables: what it holds is read anew each time.
    Scope = Struct.new(:frame, :read)
    # A value whose children were offered, with the expression that reaches it.
    Held = Struct.new(:frame, :value, :path)

    # Variables that the interpreter keeps for itself, by names that programs do not use for theirs.
    SPECIAL = /\A\$(?:-?\W|-\w|\d|_\z|PROGRAM_NAME|LOAD_PATH|LOADED_FEATURES|VERBOSE|DEBUG|FILENAME|std(?:in|out|err)\z)/

    def initialize(session)
      @session = session
      @owners = {}
    end

    # The stop that a request is about, or nil when it is over.
    def stop_of(arguments)
      reference = [arguments['frameId'], arguments['variablesReference']].find { |number| number && number != 0 }
      return @owners[reference] if reference
      return @session.stops[@session.threads.thread_of(arguments['threadId'])] if arguments.key?('threadId')

      # An expression without a frame: any paused thread will do.
      @session.stops.values.first
    end

    # The stop is over: its references are void.
    def forget(stop)
      stop.handles.each_key { |reference| @owners.delete(reference) }
    end

    def stack_trace(stop, arguments)
      stop.frame_ids ||= stop.frames.map { |frame| [give(stop, frame), frame] }
      all = stop.frame_ids
      levels = arguments['levels'].to_i
      page = all[arguments['startFrame'].to_i, levels.positive? ? levels : all.size] || []
      { 'stackFrames' => page.map { |number, frame| stack_frame(number, frame) }, 'totalFrames' => all.size }
    end

    def scopes(stop, arguments)
      frame = frame_of(stop, arguments)
      return { 'scopes' => [] } if frame.native?

      inner, outer = locals_of(frame)
      found = [scope(stop, frame, 'Locals', 'locals', inner.size) { variables_of(frame, inner) }]
      found << scope(stop, frame, 'Closure', nil, outer.size) { variables_of(frame, outer) } unless outer.empty?
      held = self_children(frame)
      found << scope(stop, frame, 'Self', nil, held.size) { self_children(frame) }
      constants = constants_of(frame)
      unless constants.empty?
        found << scope(stop, frame, 'Constants', nil, constants.size, expensive: true) { constants_of(frame) }
      end
      found << scope(stop, frame, 'Globals', 'globals', global_variables.size, expensive: true) { globals_of(frame) }
      { 'scopes' => found + scopes_of_request(stop, frame) }
    end

    # What is sent here, what the request that is served here carries, and what has been answered so far.
    def scopes_of_request(stop, frame)
      request = @session.served.current
      found = {}
      found['Sent'] = @session.sends.current.parts if @session.sends.current
      if request
        receivers = stop.frames.lazy.reject(&:native?).map { |each| each.binding.receiver }
        found.update('Request' => Carried.parts_of(request), 'Response' => Carried.answer_of(request, receivers))
      end
      found.map do |name, parts|
        scope(stop, frame, name, nil, parts.size, expensive: name != 'Sent') { parts.map { |part, value| Child.new(part, value) } }
      end
    rescue *Faults::OURS => error
      @session.trouble('reading a request failed', error)
      []
    end

    def variables(stop, arguments)
      held = stop.handles[arguments['variablesReference']]
      start = arguments['start'].to_i
      count = arguments['count'].to_i
      count = Children::PAGE unless count.positive?
      case held
      when Scope then found = held.read.call[start, count] || []
      when Held
        found = Children.page(held.value, held.path, start, count, arguments['filter'] || '')
        found = with_rest(found, held.value, start, arguments)
      else raise Refused.new('noSuchReference', 'this reference does not hold variables')
      end
      { 'variables' => found.map { |child| variable(stop, held.frame, child) } }
    end

    def evaluate(stop, arguments)
      frame = with_variables(frame_of(stop, arguments))
      text = arguments['expression'] || ''
      context = arguments['context'] || 'watch'
      value = asked(text) { Evaluate.evaluate(frame.binding, Asking.written(text, true)) }
      return hidden(value) if Veil.current.hides_expression?(text) && !(Module === value || Proc === value)

      limit = { 'repl' => Values::LONG, 'clipboard' => 100 * Values::LONG }.fetch(context, Values::SHORT)
      path = text.strip
      path = "(#{path})" unless path.match?(/\A[@$]{0,2}[\w.:]+\z/)
      value_body(stop, frame, value, path, limit)
    end

    def set_variable(stop, arguments)
      held = stop.handles[arguments['variablesReference']]
      name = arguments['name'] || ''
      found = case held
              when Scope then held.read.call
              when Held then Children.page(held.value, held.path, 0, Children::PAGE, '')
              else []
              end
      target = found.find { |child| child.name == name }&.path
      raise Refused.new('cannotAssign', "'#{name}' cannot be assigned to here") if target.nil?

      assign(stop, held.frame, target, arguments['value'] || '')
    end

    def set_expression(stop, arguments)
      assign(stop, with_variables(frame_of(stop, arguments)), arguments['expression'] || '', arguments['value'] || '')
    end

    def completions(stop, arguments)
      frame = with_variables(frame_of(stop, arguments))
      column = (arguments['column'] || 1).to_i
      { 'targets' => Completions.complete(frame.binding, arguments['text'] || '', column) }
    rescue StandardError, ScriptError
      { 'targets' => [] }
    end

    def exception_info(stop, _arguments)
      raise Refused.new('noException', 'this thread did not stop for an error') if stop.exception.nil?

      error, kind = stop.exception
      message = Values.utf8(error.message.to_s)[0, Values::LONG]
      trace = stop.frames.first(50).map { |frame| "#{frame.path}:#{frame.line}: in #{frame.name}" }
      {
        'exceptionId' => Values.type_name(error), 'description' => message,
        'breakMode' => kind == 'raised' ? 'always' : 'userUnhandled',
        'details' => {
          'message' => message, 'typeName' => Values.type_name(error).split('::').last,
          'fullTypeName' => Values.type_name(error), 'stackTrace' => trace.join("\n")
        }
      }
    end

    private

    def give(stop, item)
      reference = @session.new_reference
      stop.handles[reference] = item
      @owners[reference] = stop
      reference
    end

    def frame_of(stop, arguments)
      reference = arguments['frameId'].to_i
      return stop.frames.first if reference.zero?

      frame = stop.handles[reference]
      raise Refused.new('noSuchFrame', 'there is no such frame any more') unless frame.is_a?(Frame)

      frame
    end

    def with_variables(frame)
      return frame unless frame.native?

      raise Refused.new('noVariables', 'this frame is a function of the interpreter itself; it has no variables')
    end

    def stack_frame(number, frame)
      body = { 'id' => number, 'name' => frame.name, 'line' => frame.line, 'column' => 1 }
      body['source'] = Sources.describe(frame.path)
      body['presentationHint'] = 'subtle' if frame.native? || @session.foreign.foreign?(frame.path)
      body
    end

    def scope(stop, frame, name, hint, size, expensive: false, &read)
      body = { 'name' => name, 'namedVariables' => size, 'expensive' => expensive }
      body['presentationHint'] = hint if hint
      body['variablesReference'] = give(stop, Scope.new(frame, read))
      body
    end

    # The names of the frame's own local variables, and of those of the blocks and the method around it.
    def locals_of(frame)
      names = frame.binding.local_variables
      own = frame.block? && frame.iseq ? frame.iseq.to_a[10].grep(Symbol) : names
      # In the order in which they come into being; the interpreter lists them from the inside outwards.
      names.partition { |name| own.include?(name) }
    end

    def variables_of(frame, names)
      names.map { |name| Child.new(name.to_s, frame.binding.local_variable_get(name), name.to_s) }
    end

    def self_children(frame)
      receiver = frame.binding.receiver
      [Child.new('self', receiver, 'self')] + Children.page(receiver, 'self', 0, Children::PAGE, 'named')
    end

    def constants_of(frame)
      frame.binding.eval('::Module.nesting').flat_map do |type|
        type.constants(false).reject { |name| type.autoload?(name, false) }.map do |name|
          Child.new(name.to_s, type.const_get(name, false), "#{Values.module_name(type)}::#{name}")
        end
      end.reject { |child| Module === child.value }
    end

    def globals_of(frame)
      special, own = global_variables.sort.partition { |name| SPECIAL.match?(name.to_s) }
      read = ->(name) { Child.new(name.to_s, Evaluate.evaluate(frame.binding, name.to_s), name.to_s) }
      own.map(&read) + [Child.new('special', Group.new(special.map(&read)), nil)]
    end

    # A client that does not page is told how much it has not been sent.
    def with_rest(found, value, start, arguments)
      left = Children.counts(value).sum - start - found.size
      return found if arguments['count'].to_i.positive? || left <= 0

      found + [Child.new('…', Group.new(Array.new(left) { Child.new('', nil, nil) }), nil)]
    end

    def variable(stop, frame, child)
      hidden = Veil.current.hides?(child.name) && !(Module === child.value || Proc === child.value)
      body = hidden ? hidden(child.value) : value_body(stop, frame, child.value, child.path, Values::SHORT)
      body['name'] = child.name
      body['value'] = body.delete('result')
      body['evaluateName'] = child.path if child.path
      body['presentationHint'] = { 'visibility' => 'private' } if child.private
      body
    end

    # A value under a name that the veil hides: only its type is told.
    def hidden(value)
      { 'result' => Veil::HIDDEN, 'type' => Values.type_name(value), 'variablesReference' => 0 }
    end

    # A value as DAP describes it, with a reference when it has children.
    def value_body(stop, frame, value, path, limit)
      named, indexed = Children.counts(value)
      body = if Group === value
               { 'result' => "#{named} names", 'type' => '' }
             else
               { 'result' => Values.text_of(value, limit), 'type' => Values.type_name(value) }
             end
      body['variablesReference'] = (named + indexed).positive? ? give(stop, Held.new(frame, value, path)) : 0
      body['namedVariables'] = named if named.positive?
      body['indexedVariables'] = indexed if indexed.positive?
      body
    end

    def assign(stop, frame, target, text)
      value = asked(text) { Evaluate.assign(frame.binding, target, text) }
      body = value_body(stop, frame, value, target, Values::SHORT)
      body['value'] = body.delete('result')
      body
    end

    def asked(text)
      yield
    rescue SyntaxError => error
      raise Refused.new('syntax', Evaluate.syntax_text(error)) unless text.empty?

      raise Refused.new('syntax', 'there is no expression')
    rescue Cancelled
      raise
    rescue Exception => error # whatever it raises is its answer
      raise Refused.new('raised', Values.reason(error))
    end
  end
end
