# frozen_string_literal: true

module AmberAgent
  # Raised inside a paused thread to end an evaluation that the client no longer waits for.
  class Cancelled < Exception; end

  # How a paused thread goes on: `mode` is resume, over, into or out.
  Action = Struct.new(:mode, :anywhere)

  # A paused thread: it waits inside our hook and does there what the client asks to see.
  #
  # Values are read and expressions evaluated in the paused thread itself, so that thread and fiber variables are the
  # ones of the request. The serving thread only passes the questions on.
  class Stop
    attr_reader :thread, :thread_id, :reason, :exception, :handles, :frames
    attr_accessor :frame_ids

    def initialize(thread, thread_id, frames, reason, exception)
      @thread = thread
      @thread_id = thread_id
      @frames = frames
      @reason = reason
      @exception = exception
      @handles = {}
      @queue = Thread::Queue.new
      @lock = Mutex.new
      @running = nil
      @cancelled = []
      @action = nil
    end

    # Have `job` (which never raises) run in the paused thread.
    def ask(key, &job)
      @queue.push([key, job])
    end

    # Let the thread go on. Later questions are not answered any more.
    def go_on(action)
      @action = action
      @queue.push(nil)
    end

    # End the job that was asked for under `key`: now, or as soon as its turn comes.
    def cancel(key)
      @lock.synchronize do
        @running == key && key ? @thread.raise(Cancelled) : @cancelled << key
      end
    end

    # Run in the paused thread: answer questions until told to go on.
    #
    # What the program raises in this thread (a timeout, an interrupt) passes through.
    def wait
      Thread.handle_interrupt(Cancelled => :never) do
        while (item = @queue.pop)
          answer(*item)
        end
      end
      @action
    end

    private

    def answer(key, job)
      cancelled = @lock.synchronize do
        @running = key
        @cancelled.delete(key)
      end
      @thread.raise(Cancelled) if cancelled
      begin
        Thread.handle_interrupt(Cancelled => :immediate) { job.call }
      ensure
        @lock.synchronize { @running = nil }
        swallow_late_cancellation
      end
    end

    # One that was sent just as the job ended is taken here, and not by the next.
    def swallow_late_cancellation
      Thread.handle_interrupt(Cancelled => :immediate) { Thread.pass }
    rescue Cancelled
      # The job has ended by itself.
    end
  end
end
