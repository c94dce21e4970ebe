#include "app/dialogs/material_library.h"

#include "app/dialogs/question.h"
#include "app/library.h"
#include "app/panels/swatch_list.h"
#include "app/theme.h"
#include "core/base/error.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/session/swatch.h"
#include "core/surface/material.h"

#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace ilumbra {
namespace {

constexpr int idRole = Qt::UserRole, fileRole = Qt::UserRole + 1;
const Library shelf = materialLibrary();

std::vector<NodeId> wearers(const Studio& studio) {
  std::vector<NodeId> out;
  for (const NodeId id : studio.selection())
    if (const Node* n = studio.doc().find(id); n && n->kind->family() == "object" && n->kind->param("material"))
      out.push_back(id);
  return out;
}

} // namespace

QString MaterialLibrary::folder() { return shelf.folder(); }

void MaterialLibrary::setFolder(const QString& folder) { shelf.setFolder(folder); }

bool MaterialLibrary::keep(Studio& studio, NodeId material) {
  const Node* n = studio.doc().find(material);
  return n && n->kind->family() == "material" && shelf.keep(studio, material);
}

NodeId MaterialLibrary::take(Studio& studio, const QString& path, uint64_t gesture) {
  NodeId made = 0;
  studio.edit(
      tr("Take in a material"),
      [&](const Document& d) {
        const Document file = readDocument(studio.kinds(), path.toStdString());
        const Node* whole = wholeMaterial(file);
        if (!whole) throw badInput(path.toStdString() + ": holds no material");
        return transplant(d, file, whole->id, &made);
      },
      gesture);
  return made;
}

MaterialLibrary::MaterialLibrary(Studio& studio, QWidget* parent) : QDialog(parent), m_studio(studio) {
  setWindowTitle(tr("Materials"));
  resize(720, 560);
  auto* column = new QVBoxLayout(this);
  m_search = new QLineEdit(this);
  m_search->setPlaceholderText(tr("find"));
  m_search->setAccessibleName(tr("Find a material"));
  column->addWidget(m_search);
  m_list = new SwatchList(studio, this);
  column->addWidget(m_list, 1);
  m_where = new QLabel(this);
  m_where->setStyleSheet(QStringLiteral("color: #9a968f"));
  auto* head = new QHBoxLayout;
  head->addWidget(m_where, 1);
  auto* other = new QPushButton(tr("Other folder…"), this);
  head->addWidget(other);
  column->addLayout(head);
  auto* foot = new QHBoxLayout;
  m_keep = new QPushButton(tr("Keep in the library"), this);
  m_remove = new QPushButton(tr("Remove from the library"), this);
  auto* close = new QPushButton(tr("Close"), this);
  m_use = new QPushButton(this);
  m_use->setDefault(true);
  foot->addWidget(m_keep);
  foot->addWidget(m_remove);
  foot->addStretch(1);
  foot->addWidget(close);
  foot->addWidget(m_use);
  column->addLayout(foot);
  const size_t on = wearers(studio).size();
  m_use->setText(on == 0   ? tr("Take it in")
                 : on == 1 ? tr("Put it on %1").arg(qs(studio.doc().find(wearers(studio).front())->name))
                           : tr("Put it on %n object(s)", nullptr, int(on)));
  connect(close, &QPushButton::clicked, this, &QDialog::reject);
  connect(m_use, &QPushButton::clicked, this, &MaterialLibrary::use);
  connect(m_list, &QListWidget::itemActivated, this, &MaterialLibrary::use);
  connect(m_list, &QListWidget::currentItemChanged, this, &MaterialLibrary::choose);
  connect(m_search, &QLineEdit::textChanged, m_list, &SwatchList::search);
  connect(m_keep, &QPushButton::clicked, this, [this] {
    if (const QListWidgetItem* i = m_list->currentItem(); i && keep(m_studio, i->data(idRole).toUInt())) fill();
  });
  connect(m_remove, &QPushButton::clicked, this, [this] {
    const QListWidgetItem* i = m_list->currentItem();
    const QString file = i ? i->data(fileRole).toString() : QString();
    if (file.isEmpty() || ask(this, tr("Remove from the library"), file,
                              {{tr("Leave it there"), tr("Nothing happens")},
                               {tr("Delete the file"), tr("For good; scenes that took it in keep their copies")}}) != 1)
      return;
    if (!QFile::remove(file)) m_studio.tell(tr("%1 cannot be deleted").arg(file), true);
    fill();
  });
  connect(other, &QPushButton::clicked, this, [this] {
    const QString f = QFileDialog::getExistingDirectory(this, tr("Folder of the library"), folder());
    if (f.isEmpty()) return;
    setFolder(f);
    fill();
  });
  fill();
  m_list->setFocus();
}

void MaterialLibrary::fill() {
  m_list->clear();
  for (const Node* n : m_studio.doc().family("material")) {
    const QString key = QStringLiteral("library %1").arg(n->id);
    m_list->add(qs(n->name), tr("In this document · %1").arg(qs(n->kind->label)), key)->setData(idRole, uint(n->id));
    m_studio.askForSwatch(key, n->id);
  }
  const QFileInfoList files = shelf.kept();
  for (const QFileInfo& f : files) {
    const QString key = QStringLiteral("library ") + f.filePath();
    QListWidgetItem* i = m_list->add(f.completeBaseName(), tr("In the library · %1").arg(f.filePath()), key);
    i->setData(fileRole, f.filePath());
    i->setForeground(theme::accent);
    m_studio.askForSwatch(
        key, [kinds = m_studio.kinds(), path = f.filePath().toStdString()](const Document& now, NodeId& material) {
          const Document file = readDocument(kinds, path);
          const Node* whole = wholeMaterial(file);
          if (!whole) throw badInput(path + ": holds no material");
          return transplant(now, file, whole->id, &material);
        });
  }
  m_where->setText(
      tr("Library: %1 · %2")
          .arg(folder(), files.isEmpty() ? tr("nothing kept there yet") : tr("%1 kept").arg(files.size())));
  m_list->setCurrentRow(0);
  if (const std::vector<NodeId> on = wearers(m_studio); !on.empty()) {
    const NodeId worn = Params(*m_studio.doc().find(on.front()), m_studio.frame()).reference("material").target;
    for (int i = 0; i < m_list->count(); ++i)
      if (worn && m_list->item(i)->data(idRole).toUInt() == worn) m_list->setCurrentRow(i);
  }
  choose();
}

void MaterialLibrary::choose() {
  const QListWidgetItem* i = m_list->currentItem();
  m_use->setEnabled(i);
  m_keep->setEnabled(i && i->data(idRole).toUInt());
  m_remove->setEnabled(i && !i->data(fileRole).toString().isEmpty());
}

void MaterialLibrary::use() {
  const QListWidgetItem* i = m_list->chosen();
  if (!i) return;
  const std::vector<NodeId> on = wearers(m_studio);
  const QString file = i->data(fileRole).toString();
  NodeId material = i->data(idRole).toUInt();
  const uint64_t gesture = m_studio.newGesture();
  if (!file.isEmpty() && !(material = take(m_studio, file, gesture))) return;
  if (on.empty()) {
    m_studio.select({material});
  } else {
    m_studio.edit(
        tr("Put on %1").arg(i->text()),
        [&](const Document& d) {
          Document out = d;
          for (const NodeId id : on) out = setValue(out, id, "material", Constant(Reference{material, nullptr}));
          return out;
        },
        gesture);
  }
  accept();
}

} // namespace ilumbra
