# Labels of one harbour.
class Labels
  MARK = '!'

  def initialize(harbour, fragile: false)
    @prefix = String.new("to #{harbour}: ")
    @fragile = fragile
    @count = 0
  end

  def for(goods)
    @count += 1
    label = @prefix
    label << goods
    label << " no. #{@count}"
    label << " #{MARK}" if @fragile
    label.dup
  end
end
