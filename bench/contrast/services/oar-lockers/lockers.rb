# So many lockers, and the owner of each.
class Lockers
  SIZE = 5

  attr_reader :owners

  def initialize
    @lockers = Array.new(SIZE, [])
    @owners = {}
  end

  def put(index, name, things)
    @owners[index] = name
    things.each do |thing|
      @lockers[index] << thing
    end
  end

  def things(index)
    @lockers[index]
  end

  def used
    @owners.size
  end

  def list
    @owners.map { |index, name| "#{name}: #{things(index).size}" }
  end
end
