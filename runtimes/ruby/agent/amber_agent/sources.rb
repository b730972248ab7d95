# frozen_string_literal: true

module AmberAgent
  # Files as DAP sees them, and the text of code that has none.
  module Sources
    class << self
      # The DAP Source of a path as a frame has it.
      def describe(path)
        return { 'name' => path, 'sourceReference' => 0, 'presentationHint' => 'deemphasize' } if path.start_with?('<internal:')

        full = File.expand_path(path)
        return { 'name' => File.basename(path), 'path' => full } if File.file?(full)

        unit = Recorder.evaluated(path)
        return { 'name' => path, 'sourceReference' => unit.number } if unit&.text

        { 'name' => path, 'sourceReference' => 0, 'presentationHint' => 'deemphasize' }
      end

      # The text for a DAP Source, or nil.
      def text(source)
        number = source['sourceReference'].to_i
        return Recorder.numbered(number)&.text if number.positive?

        File.read(source['path'].to_s, encoding: Encoding::UTF_8)
      rescue SystemCallError
        nil
      end
    end
  end
end
