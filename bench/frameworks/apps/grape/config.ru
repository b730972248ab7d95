require 'grape'
require_relative 'passage'

class Office < Grape::API
  format :txt
  get('/quotes/:number') { quote(params[:number].to_i).to_s }
end
run Office
