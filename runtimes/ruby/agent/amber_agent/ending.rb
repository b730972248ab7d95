# frozen_string_literal: true

require_relative 'quiet'

module AmberAgent
  # The end of the program: what has been told by then is sent before. One that leaves by `exit!`, as forks do, runs nothing
  # of what it has for its end, so that method waits for us while somebody is attached.
  module Ending
    # Where the method is to be had from: everywhere, and by its modules' names.
    OWNERS = [Kernel, Kernel.singleton_class, Process.singleton_class].freeze
    OURS = <<~RUBY
      alias_method :amber_exit!, :exit!
      def exit!(...)
        ::AmberAgent::Ending.wait
        amber_exit!(...)
      end
    RUBY
    BEFORE = <<~RUBY
      alias_method :exit!, :amber_exit!
      remove_method :amber_exit!
    RUBY

    @is_ours = false

    class << self
      def install
        return if @is_ours

        OWNERS.each { |owner| change(owner, OURS) }
        @is_ours = true
      end

      def remove
        return unless @is_ours

        @is_ours = false
        OWNERS.each { |owner| change(owner, BEFORE) }
      end

      # In another Ractor than the first nobody can be asked.
      def wait
        Server.last_words
        Description.forget
      rescue StandardError
        nil
      end

      private

      def change(owner, code)
        was_private = owner.private_method_defined?(:exit!)
        Quiet.here { owner.class_eval(code, __FILE__, 1) }
        owner.send(was_private ? :private : :public, :exit!)
        owner.send(:private, :amber_exit!) if owner.method_defined?(:amber_exit!)
      end
    end
  end
end
