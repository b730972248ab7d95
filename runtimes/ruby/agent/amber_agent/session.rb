# frozen_string_literal: true

require_relative 'aimed'
require_relative 'bind'
require_relative 'faults'
require_relative 'followed'
require_relative 'foreign'
require_relative 'hits'
require_relative 'pause'
require_relative 'printed'
require_relative 'raised'
require_relative 'requests'
require_relative 'sends'
require_relative 'served'
require_relative 'stack'
require_relative 'step'
require_relative 'threads'
require_relative 'warned'

module AmberAgent
  # One client's session: its marks, its paused threads, and the life of both, from the client's connection to its
  # end, by whichever way.
  #
  # Requests are answered in requests.rb; this is what the hooks in the program's threads talk to. While a hook runs
  # the interpreter reports no other event of the same thread, so nothing of ours stops us.
  class Session
    # Seconds between two looks for servers while nothing is loaded: it goes over all code of the project.
    LOOK_SECONDS = 0.5

    attr_reader :hits, :followed, :printed, :sends, :served, :threads, :binder, :raised, :warned, :stops, :serving
    attr_accessor :stop_on_entry, :amber_client, :foreign

    def initialize(outbox, waker, &refuses)
      @outbox = outbox
      @lock = Mutex.new
      @serving = Thread.current
      @ended = @stop_on_entry = @amber_client = false
      @stops = {}.compare_by_identity
      @steppers = {}.compare_by_identity
      @stepped_at = {}.compare_by_identity
      @pauses = {}.compare_by_identity
      @foreign = Foreign.new
      @threads = Threads.new
      @served = Served.new(self)
      @sends = Sends.new(self)
      @hits = Hits.new(self, waker)
      @followed = Followed.new(self)
      @printed = Printed.new(self)
      @binder = Binder.new(self)
      @raised = Raised.new(self)
      @warned = Warned.new(self)
      @reference = 1
      @next_look = 0
      @requests = Requests.new(self, refuses)
      Recorder.listener = method(:loaded)
    end

    # For the serving thread.

    # What a client has said in `initialize`, and has been answered.
    def introduce(arguments)
      @requests.introduce(arguments)
    end

    # A message from the client.
    def receive(message)
      @requests.receive(message)
    end

    # Called at least once a second.
    def tick
      has_loaded = @has_loaded
      @has_loaded = false
      @requests.look_again if has_loaded
      @binder.tick
      look_for_servers(has_loaded)
      @sends.look
    end

    # Whether a step or a pause is under way.
    def aiming?
      @steppers.each_value.any?(&:on?) || !@pauses.empty?
    end

    def over?
      @ended
    end

    # Whether a client that says nothing holds up the program.
    def silence_matters?
      @amber_client && !@stops.empty?
    end

    # Take everything out and let every thread go on. Safe to call twice.
    def finish
      @lock.synchronize do
        return if @ended

        @ended = true
      end
      Recorder.listener = nil
      @requests.drop_marks
      undo = [-> { Dormant.join_forks(nil) }, -> { Ending.remove }, -> { @binder.restore }, -> { @printed.remove }, -> { @served.remove }, -> { @sends.leave }, -> { @raised.set([]) }, -> { @warned.set([]) },
              -> { @steppers.values.each(&:remove) }, -> { @pauses.values.each { |traces| traces.each(&:disable) } }]
      undo.each do |step|
        step.call
      rescue StandardError => error
        trouble('taking the marks out failed', error)
      end
      @stops.values.each { |stop| stop.go_on(Action.new('resume', false)) }
    end

    # In a forked child: as finish, where the parent's other threads do not exist.
    def abandon
      @lock = Mutex.new
      @outbox = nil
      @stops.clear
      finish
    end

    def send_message(message)
      @outbox&.post(message)
    end

    def event(name, body)
      send_message('type' => 'event', 'event' => name, 'body' => body)
    end

    # A number for a frame or a variable; none is given twice in a session.
    def new_reference
      @reference += 1
    end

    # Ask a running thread to stop at the next line that it runs. Returns '' or why it cannot be.
    def pause(thread_id)
      thread = @threads.thread_of(thread_id)
      return "there is no thread #{thread_id}" if thread.nil?
      return "thread #{thread_id} is paused already" if @stops.key?(thread)

      @pauses.delete(thread)&.each(&:disable)
      @pauses[thread] = Recorder.units.flat_map { |unit| @binder.aims(unit) }.filter_map { |iseq| pause_at(iseq, thread) }
      ''
    end

    # For the hooks, in the program's threads.

    # Something of ours failed; the client is told, the program is not.
    def trouble(what, error)
      text = "amber agent: #{what} (#{error.class}: #{Values.utf8(error.message.to_s)[0, 300]})\n"
      event('output', 'category' => 'important', 'output' => text)
    rescue StandardError
      # Nobody can be told.
    end

    # A mark has come to be bound: told once.
    def announce(mark)
      return if !mark.bound || mark.announced

      mark.announced = true
      mark_changed(mark)
    end

    # The program ends: nobody can ask for the counts any more.
    def tell_counts
      event('amberCounts', @requests.counts) if @amber_client
    end

    def mark_changed(mark)
      event('breakpoint', 'reason' => 'changed', 'breakpoint' => mark.describe)
    end

    # Marks were hit. A step that has just stopped before this very line has stopped for them too.
    def stop_at_marks(marks, event)
      return if @stepped_at.delete(Thread.current) == [event.path, event.lineno]

      stop_here('breakpoint', marks.map(&:id))
    end

    def stop_after_step(event)
      @stepped_at[Thread.current] = [event.path, event.lineno] if @requests.mark_at?(event.path, event.lineno)
      stop_here('step')
    end

    # The program has asked for a stop itself.
    def stop_asked_for
      stop_here('pause')
    rescue *Faults::OURS => error
      trouble('a stop failed', error)
    end

    # Stop before the first line of the program's main file (`amber launch`).
    def stop_at_first_line
      @first_line = TracePoint.new(:script_compiled) do |event|
        iseq = event.instruction_sequence
        if (iseq.absolute_path || iseq.path) == File.expand_path($PROGRAM_NAME) || iseq.path == '-e'
          @first_line.disable
          stop_at_start_of(iseq)
        end
      rescue *Faults::OURS => error
        trouble('stopping at the first line failed', error)
      end
      @first_line.enable
    end

    # Pause this thread until the client lets it go on. `exception`: an error and the filter that it met.
    def stop_here(reason, mark_ids = [], exception: nil, from: nil)
      thread = Thread.current
      return if @ended || thread == @serving

      frames = Stack.frames
      frames = frames.drop_while { |frame| !from.call(frame) } if from
      stop = Stop.new(thread, @threads.id_of(thread), frames, reason, exception)
      @lock.synchronize do
        return if @ended

        @stops[thread] = stop
      end
      @steppers.delete(thread)&.remove
      @pauses.delete(thread)&.each(&:disable)
      begin
        @hits.then_tell('stopped', stopped(stop, mark_ids))
        action = stop.wait
      ensure
        @stops.delete(thread)
      end
      return if @ended || action.mode == 'resume'

      stepper = Stepper.new(self, stop, action)
      @steppers[thread] = stepper
      stepper.install
    end

    private

    # What is loaded compiled comes without a word.
    def look_for_servers(has_loaded)
      now = Process.clock_gettime(Process::CLOCK_MONOTONIC)
      return unless @amber_client && (has_loaded || now >= @next_look)

      @next_look = now + LOOK_SECONDS
      @served.look
    end

    def loaded(unit)
      @has_loaded = true
      @requests.find_in(unit)
      marks = @requests.marks_for(unit)
      @binder.loaded(unit, marks)
      marks.each { |mark| announce(mark) }
    end

    def pause_at(iseq, thread)
      Aimed.at(iseq, :line) do |_event|
        stop_here('pause') if Thread.current == thread && @pauses.key?(thread)
      rescue *Faults::OURS => error
        trouble('a pause failed', error)
      end
    end

    def stop_at_start_of(iseq)
      trace = TracePoint.new(:line) do |_event|
        trace.disable
        stop_here('entry')
      rescue *Faults::OURS => error
        trouble('stopping at the first line failed', error)
      end
      trace.enable(target: iseq)
    end

    def stopped(stop, mark_ids)
      body = { 'reason' => stop.reason, 'threadId' => stop.thread_id, 'allThreadsStopped' => false }
      body['hitBreakpointIds'] = mark_ids unless mark_ids.empty?
      request = @served.current
      body['amber'] = { 'request' => request.describe } if request
      body['text'] = stop.exception[0].class.name.to_s if stop.exception
      body
    end
  end
end
