# What there are charts of: width and height in kilometers.
Area = Struct.new(:name, :width, :height)

module Areas
  ALL = [
    Area.new('fjord', 18, 40),
    Area.new('harbour', 3, 2),
    Area.new('sound', 25, 12)
  ].freeze

  def self.find(name)
    ALL.find { |area| area.name == name }
  end
end
