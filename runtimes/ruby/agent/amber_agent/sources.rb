# frozen_string_literal: true

module AmberAgent
  # Files as DAP sees them, and the text of code that has none.
  module Sources
    # Methods that are named of a piece of code.
    NAMED = 3

    class << self
      # The DAP Source of a path as a frame has it.
      def describe(path)
        return { 'name' => path, 'sourceReference' => 0, 'presentationHint' => 'deemphasize' } if path.start_with?('<internal:')

        full = File.expand_path(path)
        return { 'name' => File.basename(path), 'path' => full } if File.file?(full)

        unit = Recorder.evaluated(path)
        return { 'name' => path, 'sourceReference' => unit.number } if unit&.content

        { 'name' => path, 'sourceReference' => 0, 'presentationHint' => 'deemphasize' }
      end

      # Everything that is loaded: files, and what of the project has none, with the methods that it defines.
      def all(foreign)
        files = Recorder.files.sort.map do |path|
          source = { 'name' => File.basename(path), 'path' => path }
          foreign.foreign?(path) ? source.merge('presentationHint' => 'deemphasize') : source
        end
        nameless = Recorder.nameless.reject { |unit| foreign.foreign?(unit.path) }
        files + nameless.sort_by(&:path).map { |unit| describe(unit.path).merge(origin_of(unit)) }
      end

      # The text for a DAP Source, or nil.
      def text(source)
        number = source['sourceReference'].to_i
        return Recorder.numbered(number)&.content if number.positive?

        File.read(source['path'].to_s, encoding: Encoding::UTF_8)
      rescue SystemCallError
        nil
      end

      private

      def origin_of(unit)
        methods = unit.iseqs.flat_map { |iseq| methods_in(iseq) }.uniq
        return {} if methods.empty?

        { 'origin' => "#{methods.first(NAMED).join(', ')}#{', …' if methods.size > NAMED}" }
      end

      def methods_in(iseq)
        found = iseq.trace_points.any? { |_line, event| event == :call } ? ["#{iseq.base_label}()"] : []
        iseq.each_child { |child| found.concat(methods_in(child)) }
        found
      end
    end
  end
end
