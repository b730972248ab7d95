# Lines of the list.
module Rows
  FIELDS = %i[name mail seats phone].freeze

  def self.read(lines)
    lines.map do |line|
      parts = line.split(';').map(&:strip)
      person = FIELDS.zip(parts).to_h
      person[:seats] = person[:seats].to_i
      person
    end
  end
end
