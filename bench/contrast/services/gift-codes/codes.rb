# frozen_string_literal: true

# The codes that were given away.
module Codes
  GIVEN = { 'SEA20' => 20, 'GULL5' => 5, 'TIDE50' => 50 }.freeze

  class << self
    def value_of(code)
      key = normal(code)
      return 0 if key.nil? || key.empty?

      GIVEN.fetch(key, 0)
    end

    def normal(code)
      key = code.upcase.gsub!('-', '')
      key&.strip
    end
  end
end
