#pragma once

#include <array>
#include <memory>
#include <optional>
#include <vector>

#include "core/sparse/column_block.hpp"
#include "core/sparse/factorisation.hpp"
#include "core/sparse/indefinite_factor.hpp"
#include "core/system/frame_system.hpp"

namespace ulterix {

/// The unknowns of a frame, then the inner functions of its members, member by member.
struct InnerUnknowns {
  const FrameSystem* frame = nullptr;
  IndexedVector<MemberId, int> first, count;  ///< counted from the first inner unknown
  int total = 0;
  /// Of members with functions: the unknown of each global direction of their nodes, −1: held;
  /// `skew`: some unknown is not along a direction.
  IndexedVector<MemberId, std::array<int, 12>> rows;
  IndexedVector<MemberId, char> skew;

  int frame_size() const { return frame->dofs().size(); }
  int size() const { return frame_size() + total; }
};

/// Unknowns for so many functions of each member.
InnerUnknowns number_inner(const FrameSystem& frame, IndexedVector<MemberId, int> count);

/// A symmetric matrix on them: a member's functions are coupled to each other and to its nodes.
class BorderedMatrix {
 public:
  struct Block {
    Eigen::MatrixXd coupling;  ///< 12 x n: nodes' global directions, functions
    Eigen::MatrixXd inner;     ///< n x n
  };

  std::vector<double> frame;  ///< on the frame's pattern
  /// Where a member has functions; empty: the identity for all of them.
  IndexedVector<MemberId, Block> blocks;

  bool identity_inside() const { return blocks.empty(); }

  /// Lists the entries of the blocks that are not 0 (most are, of members along the axes), which
  /// multiply() needs.
  void list_entries(const InnerUnknowns& unknowns);

  /// y = A·x for a pack, or for all.
  void multiply(const InnerUnknowns& unknowns, const ColumnBlock& x, ColumnBlock& y) const;
  PackedColumns multiply(const InnerUnknowns& unknowns, const PackedColumns& X) const;
  Eigen::MatrixXd multiply(const InnerUnknowns& unknowns, const Eigen::MatrixXd& X) const;

 private:
  /// Calls add(column, row, value): columns of the functions, rows of all unknowns.
  template <class Add>
  void each_entry(const InnerUnknowns& unknowns, MemberId id, const Add& add) const;

  SymmetricPattern entries_;  // a column each function: itself, those after it, unknowns of nodes
  std::vector<double> values_;
};

/// a − factor·b on the same unknowns.
BorderedMatrix less(const InnerUnknowns& unknowns, const BorderedMatrix& a, double factor,
                    const BorderedMatrix& b);

/// A = LDLᵀ with the functions eliminated member by member first, so that what is left lives on the
/// frame's pattern. A may be indefinite.
class BorderedFactor {
 public:
  /// For a matrix with the identity inside and a factor of its frame part that is there already.
  BorderedFactor(const InnerUnknowns& unknowns, const Factorisation& frame);

  /// LLᵀ; empty if the matrix is not positive definite.
  static std::unique_ptr<BorderedFactor> definite(const InnerUnknowns& unknowns,
                                                  const BorderedMatrix& A);
  /// LDLᵀ of any, which is used up; empty where pivots vanish.
  static std::unique_ptr<BorderedFactor> indefinite(const InnerUnknowns& unknowns,
                                                    BorderedMatrix A);

  int negative_eigenvalues() const { return negative_; }
  /// A⁻¹ of a pack, in place.
  void solve(ColumnBlock& pack) const;
  Eigen::MatrixXd solve(Eigen::MatrixXd X) const;

 private:
  struct Eliminated {
    Eigen::MatrixXd coupling, inverse;  // A_fi; A_ii⁻¹
  };
  explicit BorderedFactor(const InnerUnknowns& unknowns) : unknowns_(unknowns) {}
  /// What is left on the frame's pattern; false where a member's part is singular.
  bool eliminate(BorderedMatrix A, std::vector<double>& rest);

  const InnerUnknowns& unknowns_;
  IndexedVector<MemberId, Eliminated> eliminated_;
  const Factorisation* given_ = nullptr;
  std::unique_ptr<Factorisation> own_;
  std::optional<IndefiniteFactor> indefinite_;
  int negative_ = 0;
};

}  // namespace ulterix
