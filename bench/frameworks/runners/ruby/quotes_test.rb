require 'minitest/autorun'
require_relative 'passage'

class QuotesTest < Minitest::Test
  parallelize_me!

  def test_a_fare
    assert_equal 4, quote(2)
  end

  def test_a_fault
    assert_equal 43, quote(21)
  end
end
