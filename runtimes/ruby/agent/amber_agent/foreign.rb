# frozen_string_literal: true

require 'rbconfig'

module AmberAgent
  # Which files are not the project's own: the library, installed packages, what the user adds.
  class Foreign
    LIBRARY = %w[rubylibdir rubyarchdir sitedir vendordir].filter_map { |key| RbConfig::CONFIG[key] }.freeze
    PACKAGES = %r{/gems/|/rubygems-integration/|/vendor_ruby/|/site_ruby/}

    def initialize(extra = [])
      @extra = extra
      packages = defined?(Gem) ? Gem.path : []
      @folders = (LIBRARY + packages).map { |folder| "#{folder}/" }
      @known = {}
    end

    # Whether the file `path` is foreign.
    def foreign?(path)
      @known.fetch(path) { @known[path] = decide(path) }
    end

    # The code that is loaded now and is the project's own.
    def project_units
      Recorder.units.reject { |unit| foreign?(unit.path) }
    end

    private

    def decide(path)
      return true if path.start_with?('<internal:', FOLDER) || path.start_with?("#{File.dirname(FOLDER)}/boot/")
      return true if @extra.any? { |pattern| File.fnmatch(pattern, path) }

      PACKAGES.match?(path) || path.start_with?(*@folders)
    end
  end
end
