#pragma once

#include "core/results/modes.hpp"
#include "write/row_writer.hpp"

namespace ulterix {

/// Rows of buckling and of vibration, table by table.
class ModeRows : public RowWriter {
 public:
  using RowWriter::RowWriter;

  void buckling();
  void effective_lengths();
  void buckling_lengths();
  void mode_shares();
  void restraints();
  void path();
  void watched();
  void frequencies();
  void mode_shapes();
  void mode_axes();
  void nodal_mass();

 private:
  void shares_of(const Step& step, int mode, const IndexedVector<MemberId, MemberShare>& shares);
  void axes_of(const Step& step, int mode, const ModeShape& shape);
  void shape_of(const Step& step, int mode, const ModeShape& shape);
};

}  // namespace ulterix
