# frozen_string_literal: true

module AmberAgent
  # Threads of the program as DAP sees them: small numbers, names, the agent's own left out.
  class Threads
    def initialize
      @ids = {}.compare_by_identity
      @next = 1
      @lock = Mutex.new
      id_of(Thread.main)
    end

    # The DAP thread id of a thread; a number is never used for another thread.
    def id_of(thread)
      @ids[thread] || @lock.synchronize do
        @ids[thread] ||= begin
          @next += 1
          @next - 1
        end
      end
    end

    # The thread with a DAP thread id, or nil when it has ended.
    def thread_of(id)
      @ids.key(id)&.then { |thread| thread.alive? ? thread : nil }
    end

    # The DAP threads that are alive.
    def list(serving)
      alive = Thread.list - [serving]
      @lock.synchronize { @ids.keys.each { |thread| @ids.delete(thread) unless thread.alive? } }
      alive.map { |thread| [id_of(thread), thread] }.sort_by(&:first).map do |id, thread|
        { 'id' => id, 'name' => name_of(thread, id) }
      end
    end

    private

    def name_of(thread, id)
      return 'main' if thread == Thread.main

      thread.name && !thread.name.empty? ? Values.utf8(thread.name) : "thread #{id}"
    end
  end
end
